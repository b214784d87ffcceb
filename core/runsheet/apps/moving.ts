import { whyNoBackup, whyNoBackupText } from '../../formats/android-backup/eligibility.ts';
import { livesOnOnePhone } from '../../apps/known.ts';
import { folderKinds, type AppCopy, type CopiedApp, type PartKind } from '../../apps/copies.ts';
import type { AppFacts } from '../../apps/facts.ts';
import type { PhoneFacts } from '../../phone/facts.ts';
import {
  bySeverity,
  stop,
  type Check,
  type CheckId,
  type RunSheet,
  type Severity,
  type Step,
} from '../check.ts';
import { comesByBackup, copyingSheet, pickedApps, type PickedApp } from './copying.ts';
import type { AppSurroundings, CopyingFacts, PickedParts, PuttingAppsFacts } from './facts.ts';
import { findingsOf, puttingAppsSheet } from './putting-back.ts';

/** A phone that apps move from or to. */
interface MovingPhone {
  readonly phone: PhoneFacts;
  readonly nickname: string;
  readonly installed: readonly AppFacts[];
}

/** Everything the sheet of moving apps from one phone to another is computed from. */
export interface MovingFacts {
  readonly source: MovingPhone & { readonly sdk: number | undefined };
  readonly target: MovingPhone & { readonly surroundings: AppSurroundings };
  readonly picked: readonly PickedParts[];
  readonly through?: 'recovery' | undefined;
  readonly shelf: { readonly freeBytes: number };
  readonly bytesPerSecond: number;
}

/** What an app's move comes to, before anything is copied. */
export interface Verdict {
  readonly package: string;
  readonly label: string;
  readonly findings: readonly {
    readonly id: CheckId;
    readonly severity: Severity;
    readonly sentence: string;
  }[];
}

/** The plan of a move, its steps by the phone that they are done on. */
export interface MovingSheet extends RunSheet {
  readonly onSource: readonly Step[];
  readonly onTarget: readonly Step[];
}

/** The copy that will be taken of an app, as far as it is known beforehand. */
function copyToBe({ app, parts }: PickedApp, { source }: MovingFacts): AppCopy {
  const copied: CopiedApp = { ...app, sdk: source.sdk };
  const sizes: Partial<Record<PartKind, number>> = { program: app.programBytes, data: app.dataBytes ?? 0 };
  return {
    id: app.package,
    serial: source.phone.serial,
    createdAt: 0,
    app: copied,
    parts: (['program', ...folderKinds] as const)
      .filter((kind) => parts.includes(kind))
      .map((kind) => ({ name: kind, kind, bytes: sizes[kind] ?? 0, sha256: '' })),
  };
}

const puttingFacts = (facts: MovingFacts): PuttingAppsFacts => ({
  phone: facts.target.phone,
  installed: facts.target.installed,
  picked: apps(facts).map((each) => ({ copy: copyToBe(each, facts), parts: each.parts })),
  surroundings: facts.target.surroundings,
  through: facts.through,
  bytesPerSecond: facts.bytesPerSecond,
  movesFrom: facts.source.nickname,
});

const copyingFacts = (facts: MovingFacts): CopyingFacts => ({
  phone: facts.source.phone,
  installed: facts.source.installed,
  picked: facts.picked,
  sdk: facts.source.sdk,
  shelf: facts.shelf,
  bytesPerSecond: facts.bytesPerSecond,
});

const apps = ({ source, picked }: MovingFacts) => pickedApps({ installed: source.installed, picked });

/** Apps are copied, those that live on one phone are removed there, and only then put onto the other. */
export function movingSheet(facts: MovingFacts): MovingSheet {
  const copying = copyingSheet(copyingFacts(facts));
  const putting = puttingAppsSheet(puttingFacts(facts));
  const leaving = apps(facts).filter(({ app }) => livesOnOnePhone(app.package));
  const onSource: Step[] = [
    ...copying.steps,
    ...leaving.map(({ app }): Step => ({
      kind: 'remove',
      text: `Remove ${app.label} from ${facts.source.nickname}`,
      app: app.package,
      bytes: 0,
    })),
  ];
  const named = (nickname: string) => (check: Check) => ({ ...check, title: `${nickname}: ${check.title}` });
  const withheld = apps(facts).flatMap((each) => withheldOf(each, facts) ?? []);
  const nothing = copying.checks.filter(({ id }) => id === 'nothing-picked');
  const own = ({ id }: Check) => !['nothing-picked', 'gives-no-backup'].includes(id);
  return {
    onSource,
    onTarget: putting.steps,
    steps: [...onSource, ...putting.steps],
    bytes: copying.bytes + putting.bytes,
    bytesPerSecond: facts.bytesPerSecond,
    expectedMs: copying.expectedMs + putting.expectedMs,
    batteryPercent: Math.max(copying.batteryPercent, putting.batteryPercent),
    shelfBytes: copying.bytes,
    checks: bySeverity([
      ...nothing,
      ...(withheld.length > 0
        ? stop('gives-no-backup', 'Not all can come along without root', withheld.join(' '))
        : []),
      ...copying.checks.filter(own).map(named(facts.source.nickname)),
      ...putting.checks.filter(own).map(named(facts.target.nickname)),
    ]),
  };
}

/** What a move of each app comes to by itself. */
export function movingVerdicts(facts: MovingFacts): Verdict[] {
  const putting = puttingFacts(facts);
  const withheld = new Map(apps(facts).map((each) => [each.app.package, withheldOf(each, facts)]));
  return putting.picked.map((each) => ({
    package: each.copy.app.package,
    label: each.copy.app.label,
    findings: [...withheldFinding(withheld.get(each.copy.app.package)), ...findingsOf(each, putting)],
  }));
}

const withheldFinding = (sentence: string | undefined): Verdict['findings'] =>
  sentence === undefined ? [] : [{ id: 'gives-no-backup', severity: 'stop', sentence }];

/** Why an app cannot move from a phone that gives its data by its own backup alone: nothing of it may be left behind unnoticed. */
function withheldOf({ app, parts }: PickedApp, { source, target }: MovingFacts): string | undefined {
  if (!comesByBackup(source.phone, parts)) return undefined;
  const why = whyNoBackup(app, source.sdk);
  if (why) return `${app.label} ${whyNoBackupText[why]}: its data comes only with root. Leave it out.`;
  return livesOnOnePhone(app.package)
    ? `${app.label} must be removed from ${source.nickname} before it starts on ${target.nickname}, and what the phone’s own backup gives cannot be compared with what it has. Leave it out, or get root.`
    : undefined;
}
