import { sizeText } from '../bytes/units.ts';
import type { PhoneFacts } from '../phone/facts.ts';
import { handedKinds } from '../records/handing.ts';
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
          title: 'Kept to be read',
          sentence:
            'Without root the phone’s content providers tell what can be read. Contacts and the calendar go onto a phone from that, once somebody accepts them there; the files themselves need root.',
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

/**
 * Whether records go as a file that the phone's owner accepts: where there is no root to put their files in place, or there are no
 * files of them.
 */
export const isHanded = (
  { records: { kind, missing } }: Pick<RecordsPick, 'records'>,
  { root, mode }: Pick<PhoneFacts, 'root' | 'mode'>,
): boolean => mode === 'system' && handedKinds[kind] !== undefined && (!root || missing !== undefined);

/** Why records may not go to a phone; undefined where they may. */
export function recordsStop(
  { records }: Pick<RecordsPick, 'records'>,
  { phone, sdk }: Pick<PuttingRecordsFacts, 'phone' | 'sdk'>,
): string | undefined {
  const { reach, why, title } = recordKind(records.kind);
  if (isHanded({ records }, phone)) return undefined;
  if (!phone.root)
    return `${title} need root: without it a phone takes contacts and calendars alone, from a file that its owner accepts.`;
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
  const [handed, puts] = [true, false].map((is) => picked.filter((pick) => isHanded(pick, phone) === is)) as [
    RecordsPick[],
    RecordsPick[],
  ];
  const present = puts.filter(({ records }) =>
    there.some(({ kind, bytes }) => kind === records.kind && bytes > 0),
  );
  const steps: Step[] = [
    ...present.map(({ records }): Step => ({
      kind: 'copy',
      text: `Keep first what is there: ${recordKind(records.kind).title}`,
      app: records.kind,
      bytes: there.find(({ kind }) => kind === records.kind)!.bytes,
    })),
    ...puts.map(({ records, bytes }): Step => ({
      kind: 'put-back',
      text: `Put back ${recordKind(records.kind).title}`,
      app: records.kind,
      bytes,
    })),
    ...handed.map(({ records, bytes }): Step => ({
      kind: 'hand-records',
      text: `Hand ${recordKind(records.kind).title} to the phone, to be accepted on its screen`,
      app: records.kind,
      bytes,
    })),
    ...(puts.length > 0
      ? [{ kind: 'restart', text: 'Restart into system', into: 'system', bytes: 0 } as const]
      : []),
  ];
  const bytes = steps.reduce((sum, step) => sum + step.bytes, 0);
  const checks: Check[] = [
    ...(puts.length > 0 || phone.mode !== 'system' ? reachable(phone) : []),
    ...(picked.length === 0
      ? stop('nothing-picked', 'Nothing is picked', 'Pick the records to put back in the list.')
      : []),
    ...stopsOf(facts),
    ...restoringBattery(phone.battery),
    ...foreignTo(facts),
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
    ...(handed.length > 0
      ? [
          {
            id: 'accept-on-screen',
            severity: 'note',
            title: 'Somebody accepts them on the phone’s screen',
            sentence: `${titles(handed.map(({ records }) => records.kind))}: they go as a file, which an app of the phone opens. What the phone has already is left out, and nothing of its own is replaced. Pictures, groups and reminders are not in such a file.`,
          } as const,
        ]
      : []),
    ...(puts.length > 0
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
  return sheetOf(steps, bytes, facts.bytesPerSecond, checks, puts.length > 0 ? usualStartMs : 0);
}

function stopsOf(facts: PuttingRecordsFacts): Check[] {
  const { picked } = facts;
  return picked.flatMap((pick): Check[] => {
    const sentence = recordsStop(pick, facts);
    if (!sentence) return [];
    const { kind } = pick.records;
    return [
      {
        id: 'system-record-version',
        severity: 'stop',
        title: `${recordKind(kind).title}: only for ${facts.phone.root ? reachText[recordKind(kind).reach] : 'phones with root'}`,
        sentence,
        ...(picked.length > 1 && { mend: { do: 'unpick', partitions: [kind] } }),
      },
    ];
  });
}

function foreignTo({ picked, phone }: PuttingRecordsFacts): Check[] {
  const foreign = picked.filter(({ serial }) => serial !== phone.serial);
  if (foreign.length === 0) return [];
  return [
    {
      id: 'another-phone',
      severity: 'confirm',
      title: 'They are another phone’s',
      sentence: `${titles(foreign.map(({ records }) => records.kind))} came from another phone: whoever uses this one will have them.`,
    },
  ];
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
