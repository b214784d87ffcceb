import { isWorthKeeping, type Leftover } from '../../apps/leftovers.ts';
import type { PhoneFacts } from '../../phone/facts.ts';
import { bySeverity, listText, stop, type Check, type RunSheet, type Step } from '../check.ts';
import { inSystem, msForEachApp } from './common.ts';
import { roomForCopies } from './copying.ts';

/** Everything the sheet of removing leftovers is computed from. */
export interface LeftoversFacts {
  readonly phone: PhoneFacts;
  readonly found: readonly Leftover[];
  /** Packages. */
  readonly picked: readonly string[];
  /** Copied into the larder before anything is removed. */
  readonly keepsFirst: boolean;
  /** Packages of which the larder has what is left already. */
  readonly kept: ReadonlySet<string>;
  readonly shelf: { readonly freeBytes: number };
  readonly bytesPerSecond: number;
}

/** The plan of removing what apps left: kept first where wanted, then removed, then looked for again. */
export function leftoversSheet(facts: LeftoversFacts): RunSheet {
  const { phone, found, picked, keepsFirst, kept, shelf, bytesPerSecond } = facts;
  const some = found.filter((each) => picked.includes(each.package));
  const gone = picked.filter((name) => !found.some((each) => each.package === name));
  const bytes = keepsFirst ? some.reduce((sum, each) => sum + each.bytes, 0) : 0;
  const names = (those: readonly Leftover[]) => listText(those.map((each) => each.package));
  const copies = keepsFirst
    ? some.filter(isWorthKeeping).map((each): Step => ({
        kind: 'copy',
        text: `Keep what is left of ${each.package}`,
        app: each.package,
        bytes: each.bytes,
      }))
    : [];
  const removals = some.map((each): Step => ({
    kind: 'remove',
    text: `Remove what is left of ${each.package}`,
    app: each.package,
    bytes: 0,
  }));
  const doubtful = some.filter(({ isCertain }) => !isCertain);
  // What was kept at an earlier time may be other than what is there now.
  const lost = keepsFirst ? [] : some.filter(isWorthKeeping);
  const noted = some.filter(({ notes }) => notes.length > 0);
  const [known, unknown] = [true, false].map((is) => lost.filter((each) => kept.has(each.package) === is));
  const checks: Check[] = [
    ...inSystem({ phone }),
    ...(phone.mode === 'system' && !phone.root
      ? stop('needs-root', 'Leftovers need root', 'Only root sees and removes what apps left behind.')
      : []),
    ...(some.length === 0 ? stop('nothing-picked', 'Nothing is picked', 'Pick leftovers in the list.') : []),
    ...(gone.length > 0
      ? stop(
          'not-left',
          'Not left over any more',
          `${listText(gone)}: it is installed again, or gone. Look again, and pick anew.`,
        )
      : []),
    ...(doubtful.length > 0
      ? [
          {
            id: 'maybe-not-left',
            severity: 'confirm',
            title: 'Maybe no leftovers',
            sentence: `${names(doubtful)}: folders on shared storage alone, which another app or a person may have made.`,
          } as const,
        ]
      : []),
    ...(lost.length > 0
      ? [
          {
            id: 'will-wipe',
            severity: 'confirm',
            title: 'Removed for good',
            sentence: [
              ...(unknown!.length > 0 ? [`${names(unknown!)}: the larder has nothing of it.`] : []),
              ...(known!.length > 0
                ? [`${names(known!)}: kept before, and nobody has compared it since.`]
                : []),
              'Keep it first, or it never comes back as it is.',
            ].join(' '),
          } as const,
        ]
      : []),
    ...(copies.length > 0 ? roomForCopies(bytes, shelf.freeBytes, 'At most') : []),
    ...(copies.length > 0
      ? [
          {
            id: 'can-be-undone',
            severity: 'good',
            title: 'It can be undone',
            sentence:
              'From the larder: what was kept is among the apps of this phone, and goes back as it was.',
          } as const,
        ]
      : []),
    ...(noted.length > 0
      ? [
          {
            id: 'notes-go',
            severity: 'note',
            title: 'Entries of the system’s lists go',
            sentence: `${names(noted)}: what the package manager and settings have of it is not kept. Installed again, an app gets a new id and is asked for its permissions anew.`,
          } as const,
        ]
      : []),
  ];
  return {
    steps: [...copies, ...removals],
    bytes,
    bytesPerSecond,
    expectedMs: (bytes / bytesPerSecond) * 1000 + (copies.length + removals.length) * msForEachApp,
    batteryPercent: 0,
    ...(keepsFirst && { shelfBytes: bytes }),
    checks: bySeverity(checks),
  };
}
