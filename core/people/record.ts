import { sha256 } from '../bytes/hashing.ts';
import { hex, utf8 } from '../bytes/text.ts';

/** What the record of a shop says of one thing that was done. */
export interface Entry {
  /** From 1. */
  readonly n: number;
  /** Milliseconds since 1970. */
  readonly at: number;
  /** An operator's name; empty where none is known. */
  readonly who: string;
  readonly what: string;
  /** What it was done to, by a mark that tells nothing of a customer: `set`, `phone` and the like, each with its number or id. */
  readonly on: Readonly<Record<string, string | number>>;
}

/** SHA-256 of nothing before the first line. */
export const beforeFirst = '0'.repeat(64);

/** The line of an entry: JSON, with the SHA-256 of the line before it, so that nothing in the middle changes unseen. */
export const lineOf = ({ n, at, who, what, on }: Entry, before: string): string =>
  JSON.stringify({ n, at: new Date(at).toISOString(), who, what, on, before });

/** SHA-256 of a line's bytes without its end, as the next line names it. */
export const lineDigest = (line: string): string => hex(sha256(utf8(line)));

/** @throws Error where it is none */
export function entryIn(line: string): Entry & { readonly before: string } {
  try {
    const { n, at, who, what, on, before } = JSON.parse(line) as Partial<
      Record<string, string | number | object>
    >;
    const time = typeof at === 'string' ? Date.parse(at) : Number.NaN;
    const isEntry = typeof n === 'number' && !Number.isNaN(time) && typeof before === 'string';
    if (isEntry && typeof who === 'string' && typeof what === 'string' && typeof on === 'object')
      return { n, at: time, who, what, on: on as Entry['on'], before };
  } catch {
    // Told as the rest that is none.
  }
  throw new Error('This line of the record is not an entry.');
}

/** Whether a record is as it was written. */
export interface Soundness {
  readonly lines: number;
  /** SHA-256 of the last line: what a copy on paper or elsewhere is held against. */
  readonly head: string;
  /** The first line that was not written upon the one before it as that is now: one of the two was changed. From 1. */
  readonly brokenAt: number | undefined;
}

/** Follows a record line by line. */
export function verifyRecord(lines: Iterable<string>): Soundness {
  let count = 0;
  let head = beforeFirst;
  let brokenAt: number | undefined;
  for (const line of lines) {
    count++;
    try {
      const { n, before } = entryIn(line);
      if (before !== head || n !== count) brokenAt ??= count;
    } catch {
      brokenAt ??= count;
    }
    head = lineDigest(line);
  }
  return { lines: count, head, brokenAt };
}

/** Whether a record goes on where an earlier copy of it ended. */
export const goesOn = (lines: readonly string[], earlier: readonly string[]): boolean =>
  earlier.length <= lines.length && earlier.every((line, i) => line === lines[i]);
