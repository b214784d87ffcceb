/** What a 7z archive is asked for. */
export interface SevenZipOrder {
  readonly kind: 'list' | 'unpack';
  /** Of the archive. */
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
