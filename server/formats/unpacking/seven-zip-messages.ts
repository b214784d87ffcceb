/** What 7-Zip is asked for: of an archive in any order, or of a stream that is read from its beginning to its end. */
export interface SevenZipOrder {
  readonly kind: 'list' | 'unpack' | 'unpack xz';
  /** Of the archive; of a stream it is not known. */
  readonly bytes: number;
  /** The control words, then room for what is read. */
  readonly shared: SharedArrayBuffer;
}

/** After `read` and `bytes` the thread waits until it is told to go on. */
export type SevenZipMessage =
  | { readonly kind: 'read'; readonly offset: number; readonly bytes: number }
  | { readonly kind: 'bytes'; readonly bytes: Uint8Array }
  | {
      readonly kind: 'ended';
      readonly code: number;
      readonly lines: readonly string[];
      readonly errors: string;
    };

/** Bytes of the control words: whether it may go on, and how many bytes were read; less than 0 where that failed. */
export const controlBytes = 8;

/** What 7-Zip complains of, without where it had the file. */
export function complaintOf(errors: string): string {
  const words = errors
    .replaceAll(/ERRORS?:|\/in\/[a-z\d.]+|: (?:~|\d+)(?=\s|$)/g, ' ')
    .replaceAll(/\s+/g, ' ');
  const told = words.trim().replace(/\.+$/, '');
  // It ends with a number of its own where it did not foresee what it met.
  return /[a-z]/i.test(told) ? told : 'it is damaged, or packed in a way that is not read here';
}
