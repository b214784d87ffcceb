import { FormatError } from '../format-error.ts';

/** What holds a shorter match is a literal (lz4, doc/lz4_Block_format.md). */
const shortestMatch = 4;

/**
 * Unpacks a block of LZ4 (lz4, doc/lz4_Block_format.md).
 * @param out where to; what stands before `from` may be referred to
 * @param isPart whether it may hold more than there is room for: then the first bytes of it are what is wanted
 * @returns how many bytes of `out` are filled
 * @throws FormatError when it refers to what is not there, ends early, or holds more
 */
export function unpackLz4(input: Uint8Array, out: Uint8Array, from = 0, isPart = false): number {
  let at = 0;
  let to = from;
  const bad = (reason: string) => new FormatError('lz4', 'sequence', at, reason);
  /** A length goes on in bytes of 255. */
  const longer = (length: number): number => {
    if (length !== 15) return length;
    for (;;) {
      if (at >= input.length) throw bad('it ends within a length');
      const more = input[at++]!;
      length += more;
      if (more !== 255) return length;
    }
  };
  while (at < input.length) {
    const token = input[at++]!;
    const literals = longer(token >> 4);
    if (at + literals > input.length && !(isPart && to + literals > out.length))
      throw bad(`${literals} bytes that are not there`);
    if (to + literals > out.length) {
      if (!isPart) throw bad(`it unpacks to more than ${out.length - from} bytes`);
      out.set(input.subarray(at, at + out.length - to), to);
      return out.length;
    }
    if (literals > 32) out.set(input.subarray(at, at + literals), to);
    else for (let i = 0; i < literals; i++) out[to + i] = input[at + i]!;
    at += literals;
    to += literals;
    if (at === input.length || (isPart && to === out.length)) return to;
    if (at + 2 > input.length) throw bad('it ends within an offset');
    const distance = input[at]! | (input[at + 1]! << 8);
    at += 2;
    if (distance === 0 || distance > to) throw bad(`it refers ${distance} bytes back, at ${to}`);
    let match = longer(token & 15) + shortestMatch;
    if (to + match > out.length) {
      if (!isPart) throw bad(`it unpacks to more than ${out.length - from} bytes`);
      match = out.length - to;
    }
    if (distance >= match && match > 32) out.copyWithin(to, to - distance, to - distance + match);
    else for (let i = 0; i < match; i++) out[to + i] = out[to - distance + i]!;
    to += match;
    if (isPart && to === out.length) return to;
  }
  return to;
}
