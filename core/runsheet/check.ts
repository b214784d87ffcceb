import type { Slot } from '../boot/boot.ts';
import type { PhoneMode } from '../phone/modes.ts';

/** *stop* cannot be overridden, *confirm* needs a tick of its own, *note* informs, *good* reassures. */
export type Severity = 'stop' | 'confirm' | 'note' | 'good';

/** A step that mends what a check found. */
export type Mend =
  | { readonly do: 'restart'; readonly into: PhoneMode }
  /** The run itself restarts the phone before it begins. */
  | { readonly do: 'restart-first'; readonly into: PhoneMode }
  | { readonly do: 'pick'; readonly partitions: readonly string[] }
  | { readonly do: 'unpick'; readonly partitions: readonly string[] }
  /** User data is made anew before files are put back. */
  | { readonly do: 'format' }
  /** The programs of apps go along with their data. */
  | { readonly do: 'add-programs' }
  /** Apps are copied into the larder before anything else. */
  | { readonly do: 'copy-first'; readonly packages: readonly string[] }
  /** What needs root is done in recovery. */
  | { readonly do: 'through-recovery' }
  /** What needs root is handed to the phone as a backup of its own. */
  | { readonly do: 'through-backup' }
  | { readonly do: 'rename'; readonly label: string };

export interface Check {
  readonly id: CheckId;
  readonly severity: Severity;
  /** A few words, the first thing read. */
  readonly title: string;
  /** One sentence: what and why. */
  readonly sentence: string;
  readonly mend?: Mend;
}

export type CheckId =
  | 'nothing-picked'
  | 'shelf-space'
  | 'mode-cannot-read'
  | 'live-file-system'
  | 'battery'
  | 'identity-left-out'
  | 'early-loader-left-out'
  | 'encrypted-user-data'
  | 'used-blocks'
  | 'bad-flash'
  | 'weaker-proof'
  | 'no-tar'
  | 'no-labels'
  | 'no-maker'
  | 'records-partial'
  | 'two-ways'
  | 'shared-storage'
  | 'scratch-picked'
  | 'name-taken'
  | 'wrong-model'
  | 'identity-of-another'
  | 'identity-unproved'
  | 'wrong-kind'
  | 'image-too-large'
  | 'image-damaged'
  | 'image-not-complete'
  | 'missing-partition'
  | 'files-not-reachable'
  | 'scratch-cleared'
  | 'mode-cannot-write'
  | 'bootloader-locked'
  | 'rollback-index'
  | 'version-crossing'
  | 'older-system-newer-data'
  | 'part-of-boot-chain'
  | 'other-slot'
  | 'keep-first'
  | 'already-there'
  | 're-lock'
  | 'locked-already'
  | 'proved-later'
  | 'boot-forecast'
  | 'will-wipe'
  | 'first-start'
  | 'duration'
  | 'phone-not-named'
  | 'two-for-one'
  | 'content-differs'
  | 'checksums-beside'
  | 'not-matched'
  | 'mode-has-no-apps'
  | 'needs-root'
  | 'through-backup'
  | 'gives-no-backup'
  | 'through-recovery'
  | 'app-running'
  | 'caches-left-out'
  | 'signature-differs'
  | 'older-program'
  | 'needs-newer-android'
  | 'wrong-processor'
  | 'data-without-program'
  | 'hardware-keys'
  | 'one-phone-account'
  | 'checks-the-phone'
  | 'system-record-version'
  | 'app-space'
  | 'data-replaced'
  | 'nothing-in-copy'
  | 'another-phone'
  | 'another-user'
  | 'of-user'
  | 'user-closed'
  | 'user-forbids'
  | 'shared-program'
  | 'not-left'
  | 'not-waiting'
  | 'new-android-id'
  | 'accept-on-screen'
  | 'data-comes-after'
  | 'maybe-not-left'
  | 'id-of-another'
  | 'part-of-system'
  | 'archive-too-large'
  | 'identity-in-firmware'
  | 'firmware-of-model'
  | 'package-device'
  | 'package-requires'
  | 'package-limits'
  | 'app-not-known'
  | 'no-description'
  | 'has-secrets'
  | 'built-in-removal'
  | 'copy-first'
  | 'can-be-undone'
  | 'notes-go'
  | 'restarts';

/** One thing the run will do, in order. */
export interface Step {
  readonly kind:
    | 'read'
    | 'verify'
    | 'write'
    | 'prove'
    | 'format'
    | 'clear'
    | 'activate'
    | 'lock'
    | 'unlock'
    | 'restart'
    | 'watch'
    | 'compare'
    | 'copy'
    | 'remove'
    | 'install'
    | 'put-data'
    | 'hand-over'
    | 'set-state'
    | 'hand-records'
    | 'set-ids'
    | 'add-shared'
    | 'put-shared'
    | 'prove-ids'
    | 'put-back';
  readonly text: string;
  readonly partition?: string;
  /** The image that a verification, a write or a proof is about. */
  readonly source?: { readonly setId: string; readonly partition: string };
  /** The folder of shared storage that a step is about; empty for the files in none. */
  readonly folder?: string;
  /** The app that a step is about. */
  readonly app?: string;
  /** That is made the one that starts. */
  readonly slot?: Slot;
  /** Where a restart leads. */
  readonly into?: PhoneMode;
  readonly bytes: number;
}

export interface RunSheet {
  readonly steps: readonly Step[];
  readonly bytes: number;
  readonly expectedMs: number;
  readonly bytesPerSecond: number;
  /** Battery that the run is expected to take when nothing charges it, in percent. */
  readonly batteryPercent: number;
  /** What the shelf is expected to grow by; it may be as much as `bytes`. */
  readonly shelfBytes?: number;
  readonly checks: readonly Check[];
  /** Tells this sheet from one that would do something else; sent back with the start. */
  readonly mark?: string;
}

const order: readonly Severity[] = ['stop', 'confirm', 'note', 'good'];

/** Stops first, then what wants a tick, then the rest; the order within a severity is kept. */
export const bySeverity = (checks: readonly Check[]): Check[] =>
  order.flatMap((severity) => checks.filter((check) => check.severity === severity));

/** The checks of a rule that stops. */
export const stop = (id: CheckId, title: string, sentence: string, mend?: Mend): Check[] => [
  { id, severity: 'stop', title, sentence, ...(mend && { mend }) },
];

/** Why a run may not start: its stops, and confirmations that have no tick. */
export const obstacles = (sheet: Pick<RunSheet, 'checks'>, confirmed: readonly string[]): Check[] =>
  sheet.checks.filter(
    (check) => check.severity === 'stop' || (check.severity === 'confirm' && !confirmed.includes(check.id)),
  );

const namedPaths = 5;

/** A few of many paths, for a sentence. */
export const someOf = (paths: readonly string[]): string =>
  listText([
    ...paths.slice(0, namedPaths),
    ...(paths.length > namedPaths ? [`${paths.length - namedPaths} more`] : []),
  ]);

/** Names for a sentence: `efs`, `efs and persist`, `efs, persist and modem`. */
export function listText(names: readonly string[]): string {
  if (names.length <= 1) return names.join('');
  return `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;
}
