/** What of a phone is kept, and what erasing it would do. */
export interface ErasingView {
  readonly serial: string;
  readonly nickname: string;
  readonly sets: number;
  readonly copies: number;
  readonly runs: number;
  /** Folders and files that were exported of it. */
  readonly exports: readonly string[];
  /** On the shelf, of this phone alone: it goes. */
  readonly ownBytes: number;
  /** On the shelf, the same bytes as of other phones: it stays, since they have it as well. */
  readonly sharedBytes: number;
  readonly offsite: 'off' | 'locked' | 'open';
  /** Why it cannot be done now. */
  readonly hindrances: readonly string[];
}
