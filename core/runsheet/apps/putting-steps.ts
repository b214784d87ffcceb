import { hasPart, type CopiedApp, type PartKind } from '../../apps/copies.ts';
import type { AppFacts } from '../../apps/facts.ts';
import { isInBackup } from '../../formats/android-backup/eligibility.ts';
import type { Step } from '../check.ts';
import { isData, labelsOf } from './common.ts';
import type { PickedCopy, PuttingAppsFacts } from './facts.ts';

/** A copy that goes back, beside what is on the phone. */
export interface Put extends PickedCopy {
  readonly app: CopiedApp;
  readonly present: AppFacts | undefined;
  /** As the owner has it, where it goes to another user. */
  readonly elsewhere?: AppFacts | undefined;
  readonly bytes: number;
}

export const installs = ({ parts, copy }: Put) => parts.includes('program') && hasPart(copy, 'program');
export const puts = ({ parts }: Put) => parts.some(isData);

/** An app a step; through recovery, all programs before all data. */
export function stepsOf(all: readonly Put[], facts: PuttingAppsFacts): Step[] {
  const ids = all.filter((put) => idGoesBack(put, facts));
  if (ids.length === 0) return appSteps(all, facts);
  return [
    ...appSteps(all, facts),
    {
      kind: 'set-ids',
      text: `Give ${labelsOf(ids)} back ${ids.length === 1 ? 'its' : 'their'} Android ids`,
      bytes: 0,
    },
    { kind: 'restart', text: 'Restart into system', into: 'system', bytes: 0 },
    { kind: 'prove-ids', text: 'Look whether Android has kept them', bytes: 0 },
  ];
}

/** An id is kept, wanted, and can be written. */
export const idGoesBack = ({ app }: Put, { phone, withIds }: PuttingAppsFacts): boolean =>
  withIds === true && phone.root && Boolean(app.home?.androidId);

function appSteps(all: readonly Put[], { phone, through }: PuttingAppsFacts): Step[] {
  const step = (kind: Step['kind'], text: string, put: Put, bytes = put.bytes): Step => ({
    kind,
    text,
    app: put.app.package,
    bytes,
  });
  if (!through || phone.root || !all.some(puts)) {
    return all.map((put) => step('put-back', `Put back ${put.app.label}: ${partsText(put.parts)}`, put));
  }
  const given = all.filter(puts);
  const sizeOf = ({ copy, parts }: Put, isWanted: (part: PartKind) => boolean) =>
    copy.parts
      .filter(({ kind }) => parts.includes(kind) && isWanted(kind))
      .reduce((sum, part) => sum + part.bytes, 0);
  return [
    ...all.filter(installs).map((put) =>
      step(
        'install',
        `Install ${put.app.label}`,
        put,
        sizeOf(put, (part) => !isData(part)),
      ),
    ),
    ...(through === 'backup'
      ? [
          {
            kind: 'hand-over' as const,
            text: `Have the phone take back the data of ${labelsOf(given)}`,
            bytes: given.reduce((sum, put) => sum + sizeOf(put, isInBackup), 0),
          },
        ]
      : [
          {
            kind: 'restart' as const,
            text: 'Restart into recovery',
            into: 'recovery' as const,
            bytes: 0,
          },
          ...given.map((put) =>
            step('put-data', `Put back the data of ${put.app.label}`, put, sizeOf(put, isData)),
          ),
          { kind: 'restart' as const, text: 'Restart into system', into: 'system' as const, bytes: 0 },
        ]),
    ...all.map((put) => step('set-state', `Set what ${put.app.label} may do`, put, 0)),
  ];
}

/** What of an app goes, in words. */
function partsText(parts: readonly PartKind[]): string {
  const data = parts.some(isData);
  const program = parts.includes('program');
  return data && program ? 'program and data' : data ? 'data' : 'program';
}
