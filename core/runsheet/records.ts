import { sizeText } from '../bytes/units.ts';
import type { PhoneFacts } from '../phone/facts.ts';
import { reachText, recordKind, type CopiedRecords, type RecordKindId } from '../records/kinds.ts';
import { batteryFor, imagingBattery, restoringBattery } from './battery.ts';
import { bySeverity, listText, stop, type Check, type RunSheet, type Step } from './check.ts';
import { usualStartMs } from './estimate.ts';

/** Records of one kind on the phone. */
export interface RecordsThere {
  readonly kind: RecordKindId;
  readonly bytes: number;
  readonly count: number | undefined;
  /** Told by a content provider: to be read, and not to be put back. */
  readonly isPartial?: boolean;
}

export interface KeepingRecordsFacts {
  readonly phone: PhoneFacts;
  readonly there: readonly RecordsThere[];
  readonly picked: readonly RecordKindId[];
  readonly shelf: { readonly freeBytes: number };
  readonly bytesPerSecond: number;
}

/** A copy of records that goes back. */
export interface RecordsPick {
  readonly copyId: string;
  readonly serial: string;
  readonly records: CopiedRecords;
  readonly bytes: number;
}

export interface PuttingRecordsFacts {
  readonly phone: PhoneFacts;
  /** Android's API level; undefined where it is not told. */
  readonly sdk: number | undefined;
  readonly there: readonly RecordsThere[];
  readonly picked: readonly RecordsPick[];
  readonly bytesPerSecond: number;
}

/** Files of the system and of its providers are root's alone, and there are files only where they can be read. */
const reachable = ({ mode, root }: PhoneFacts): Check[] =>
  mode !== 'system'
    ? stop('mode-has-no-apps', 'Records need the running system', 'Restart the phone into system.', {
        do: 'restart',
        into: 'system',
      })
    : root
      ? []
      : stop('needs-root', 'Records need root', 'They are the system’s own, and this phone is not rooted.');

const titles = (kinds: readonly RecordKindId[]) => listText(kinds.map((kind) => recordKind(kind).title));

/** The plan of keeping personal records: raw files, and what they say in open formats. */
export function keepingRecordsSheet(facts: KeepingRecordsFacts): RunSheet {
  const picked = facts.there.filter(({ kind }) => facts.picked.includes(kind));
  const steps = picked.map(({ kind, bytes }): Step => ({
    kind: 'copy',
    text: `Keep ${recordKind(kind).title}`,
    app: kind,
    bytes,
  }));
  const bytes = steps.reduce((sum, step) => sum + step.bytes, 0);
  const secret = picked.filter(({ kind }) => recordKind(kind).hasSecrets).map(({ kind }) => kind);
  const partial: readonly Check[] = facts.there.some(({ isPartial }) => isPartial)
    ? [
        {
          id: 'records-partial',
          severity: 'note',
          title: 'Kept to be read, not to be put back',
          sentence:
            'Without root the phone’s content providers tell what can be read. The files themselves, which can be put back, need root.',
        },
      ]
    : [];
  const words = `At most ${sizeText(bytes)} are stored; ${sizeText(facts.shelf.freeBytes)} are free on the shelf.`;
  const checks: Check[] = [
    ...(partial.length > 0 ? [] : reachable(facts.phone)),
    ...partial,
    ...(picked.length === 0
      ? stop('nothing-picked', 'Nothing is picked', 'Pick the records to keep in the list.')
      : []),
    ...(bytes > facts.shelf.freeBytes
      ? stop('shelf-space', 'The shelf is too full', `${words} Empty the bin, or pick less.`)
      : [
          {
            id: 'shelf-space',
            severity: 'good',
            title: 'There is room on the shelf',
            sentence: words,
          } as const,
        ]),
    ...imagingBattery(facts.phone.battery),
    ...(secret.length > 0
      ? [
          {
            id: 'has-secrets',
            severity: 'note',
            title: 'Secrets are kept as they are',
            sentence: `${titles(secret)}: passphrases and tokens are in the raw files alone; they are shown nowhere and not in what is readable.`,
          } as const,
        ]
      : []),
  ];
  return sheetOf(steps, bytes, facts.bytesPerSecond, checks, 0);
}

/** Why records may not go to a phone; undefined where they may. */
export function recordsStop(
  { records }: Pick<RecordsPick, 'records'>,
  { phone, sdk }: Pick<PuttingRecordsFacts, 'phone' | 'sdk'>,
): string | undefined {
  const { reach, why, title } = recordKind(records.kind);
  if (records.missing !== undefined)
    return `${title} were kept without root, to be read: there are no files of them that could be put back.`;
  if (reach === 'any') return undefined;
  if (reach === 'android') {
    if (records.sdk !== undefined && records.sdk === sdk) return undefined;
    const from = records.androidVersion ? `Android ${records.androidVersion}` : 'an unknown Android version';
    return `${title} came from ${from}, and this phone runs Android ${phone.condition.androidVersion ?? '?'}. ${why}`;
  }
  if (records.fingerprint !== undefined && records.fingerprint === phone.condition.fingerprint)
    return undefined;
  return `${title} came from another build (${records.fingerprint ?? 'unknown'}). ${why}`;
}

/** The plan of putting records back: what is there is kept first, and the system starts anew with them. */
export function puttingRecordsSheet(facts: PuttingRecordsFacts): RunSheet {
  const { picked, phone, there } = facts;
  const present = picked.filter(({ records }) =>
    there.some(({ kind, bytes }) => kind === records.kind && bytes > 0),
  );
  const steps: Step[] = [
    ...present.map(({ records }): Step => ({
      kind: 'copy',
      text: `Keep first what is there: ${recordKind(records.kind).title}`,
      app: records.kind,
      bytes: there.find(({ kind }) => kind === records.kind)!.bytes,
    })),
    ...picked.map(({ records, bytes }): Step => ({
      kind: 'put-back',
      text: `Put back ${recordKind(records.kind).title}`,
      app: records.kind,
      bytes,
    })),
    ...(picked.length > 0
      ? [{ kind: 'restart', text: 'Restart into system', into: 'system', bytes: 0 } as const]
      : []),
  ];
  const bytes = steps.reduce((sum, step) => sum + step.bytes, 0);
  const stops = picked.flatMap((pick) => {
    const why = recordsStop(pick, facts);
    return why ? [{ kind: pick.records.kind, why }] : [];
  });
  const foreign = picked.filter(({ serial }) => serial !== phone.serial);
  const checks: Check[] = [
    ...reachable(phone),
    ...(picked.length === 0
      ? stop('nothing-picked', 'Nothing is picked', 'Pick the records to put back in the list.')
      : []),
    ...stops.map(({ kind, why }): Check => ({
      id: 'system-record-version',
      severity: 'stop',
      title: `${recordKind(kind).title}: only for ${reachText[recordKind(kind).reach]}`,
      sentence: why,
      ...(picked.length > 1 && { mend: { do: 'unpick', partitions: [kind] } }),
    })),
    ...restoringBattery(phone.battery),
    ...(foreign.length > 0
      ? [
          {
            id: 'another-phone',
            severity: 'confirm',
            title: 'They are another phone’s',
            sentence: `${titles(foreign.map(({ records }) => records.kind))} came from another phone: whoever uses this one will have them.`,
          } as const,
        ]
      : []),
    ...(present.length > 0
      ? [
          {
            id: 'data-replaced',
            severity: 'note',
            title: 'What is there is replaced',
            sentence: `${titles(present.map(({ records }) => records.kind))}: what the phone has now is copied into the larder first.`,
          } as const,
        ]
      : []),
    ...(picked.length > 0
      ? [
          {
            id: 'restarts',
            severity: 'note',
            title: 'The phone restarts',
            sentence: 'The system reads its records as it starts.',
          } as const,
        ]
      : []),
  ];
  return sheetOf(steps, bytes, facts.bytesPerSecond, checks, picked.length > 0 ? usualStartMs : 0);
}

function sheetOf(
  steps: readonly Step[],
  bytes: number,
  bytesPerSecond: number,
  checks: readonly Check[],
  besidesMs: number,
): RunSheet {
  const expectedMs = (bytes / bytesPerSecond) * 1000 + steps.length * 300 + besidesMs;
  return {
    steps,
    bytes,
    bytesPerSecond,
    expectedMs,
    batteryPercent: batteryFor(expectedMs),
    shelfBytes: bytes,
    checks: bySeverity(checks),
  };
}
