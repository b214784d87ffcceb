import type { FillerKind } from './filler.ts';
import type { ProgramBuild } from './programs.ts';

/** Databases of a phone's own providers, with the tables and columns that AOSP gives them, as far as they are used. */
export const recordDatabases = [
  'contacts',
  'calls',
  'messages',
  'calendar',
  'words',
  'accounts',
  'home',
  'keys',
] as const;
export type RecordDatabase = (typeof recordDatabases)[number];

/** One file, directory or link of a shipped file system. */
export interface Item {
  readonly path: string;
  readonly text?: string;
  readonly filler?: { readonly kind: FillerKind; readonly seed: number; readonly bytes: number };
  /** An app's program. */
  readonly apk?: ProgramBuild;
  /** A notebook's SQLite database, of about so many bytes. */
  readonly database?: { readonly seed: number; readonly bytes: number };
  /** A database of the phone's own records. */
  readonly records?: { readonly of: RecordDatabase; readonly seed: number; readonly sdk: number };
  readonly link?: string;
  readonly directory?: true;
  /** Permission bits, octal. */
  readonly mode?: number;
  readonly owner?: readonly [uid: number, gid: number];
  /** SELinux label. */
  readonly label?: string;
}
