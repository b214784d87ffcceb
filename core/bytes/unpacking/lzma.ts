import { FormatError } from '../format-error.ts';

// LZMA as its specification has it (LZMA SDK, DOC/lzma-specification.txt). Own code, since what comes out of a damaged stream must be
// bounded: the libraries for JavaScript go on without end, or take half a gigabyte for tables that no encoder asks for.

/** How many bits of the byte before, of the position in literals and of the position in lengths are looked at. */
export interface LzmaProperties {
  readonly lc: number;
  readonly lp: number;
  readonly pb: number;
}

const states = 12;
const half = 1024; // of 2048: nothing is known yet
const shortestMatch = 2;
const endMark = 0xffffffff;

// Where probabilities stand in one table.
const isMatch = 0;
const isRep = isMatch + (states << 4);
const isRepG0 = isRep + states;
const isRepG1 = isRepG0 + states;
const isRepG2 = isRepG1 + states;
const isRep0Long = isRepG2 + states;
const slots = isRep0Long + (states << 4);
const special = slots + 4 * 64;
const aligned = special + 1 + 128 - 14;
const lengths = aligned + 16;
/** Of a length: two choices, sixteen times eight low and middle ones, 256 high ones. */
const lengthModels = 2 + 2 * 16 * 8 + 256;
const literals = lengths + 2 * lengthModels;
const literalModels = 0x300;

/**
 * Unpacks a stream of LZMA without a header.
 * @param input begins with the first byte of the range coder, which is passed over
 * @param out is filled; what the stream holds beyond is left
 * @returns how many bytes of `out` are filled: fewer where the stream says that it ends
 * @throws FormatError when it ends early or refers to what is not there
 */
export function unpackLzma(input: Uint8Array, { lc, lp, pb }: LzmaProperties, out: Uint8Array): number {
  const probabilities = new Uint16Array(literals + (literalModels << (lc + lp))).fill(half);
  let at = 1;
  let range = 0xffffffff;
  let code = 0;
  const bad = (reason: string) => new FormatError('lzma', 'data', Math.min(at, input.length), reason);
  const next = (): number => {
    if (at >= input.length) throw bad('it ends early');
    return input[at++]!;
  };
  for (let i = 0; i < 4; i++) code = ((code << 8) | next()) >>> 0;

  const bit = (model: number): 0 | 1 => {
    const probability = probabilities[model]!;
    const bound = (range >>> 11) * probability;
    const is = code < bound ? 0 : 1;
    if (is === 0) {
      range = bound;
      probabilities[model] = probability + ((2048 - probability) >>> 5);
    } else {
      range -= bound;
      code -= bound;
      probabilities[model] = probability - (probability >>> 5);
    }
    if (range < 0x1000000) {
      range = (range << 8) >>> 0;
      code = ((code << 8) | next()) >>> 0;
    }
    return is;
  };
  const direct = (count: number): number => {
    let value = 0;
    for (let i = 0; i < count; i++) {
      range >>>= 1;
      const is = code >= range;
      if (is) code -= range;
      value = value * 2 + (is ? 1 : 0);
      if (range < 0x1000000) {
        range = (range << 8) >>> 0;
        code = ((code << 8) | next()) >>> 0;
      }
    }
    return value;
  };
  const tree = (base: number, bits: number): number => {
    let symbol = 1;
    for (let i = 0; i < bits; i++) symbol = symbol * 2 + bit(base + symbol);
    return symbol - 2 ** bits;
  };
  const reverseTree = (base: number, bits: number): number => {
    let [symbol, value] = [1, 0];
    for (let i = 0; i < bits; i++) {
      const is = bit(base + symbol);
      symbol = symbol * 2 + is;
      value |= is << i;
    }
    return value;
  };
  const lengthOf = (base: number, position: number): number => {
    if (bit(base) === 0) return tree(base + 2 + position * 8, 3);
    if (bit(base + 1) === 0) return 8 + tree(base + 2 + 128 + position * 8, 3);
    return 16 + tree(base + 2 + 256, 8);
  };
  /** How far back a match lies, less one. */
  const distanceOf = (length: number): number => {
    const slot = tree(slots + Math.min(length, 3) * 64, 6);
    if (slot < 4) return slot;
    const bits = (slot >> 1) - 1;
    const distance = (2 | (slot & 1)) * 2 ** bits;
    if (slot < 14) return distance + reverseTree(special + distance - slot, bits);
    return distance + direct(bits - 4) * 16 + reverseTree(aligned, 4);
  };

  let to = 0;
  let state = 0;
  let recent: [number, number, number, number] = [0, 0, 0, 0];
  const literal = () => {
    const before = to > 0 ? out[to - 1]! : 0;
    const base = literals + literalModels * (((to & ((1 << lp) - 1)) << lc) + (before >> (8 - lc)));
    let symbol = 1;
    if (state >= 7) {
      if (recent[0] >= to) throw bad(`a byte ${recent[0] + 1} back, of ${to}`);
      let match = out[to - recent[0] - 1]!;
      do {
        const wanted = (match >> 7) & 1;
        match <<= 1;
        const is = bit(base + ((1 + wanted) << 8) + symbol);
        symbol = symbol * 2 + is;
        if (is !== wanted) break;
      } while (symbol < 0x100);
    }
    while (symbol < 0x100) symbol = symbol * 2 + bit(base + symbol);
    out[to++] = symbol & 0xff;
    state = state < 4 ? 0 : state < 10 ? state - 3 : state - 6;
  };

  while (to < out.length) {
    const position = to & ((1 << pb) - 1);
    if (bit(isMatch + (state << 4) + position) === 0) {
      literal();
      continue;
    }
    let length: number;
    if (bit(isRep + state) === 0) {
      recent = [recent[0], recent[0], recent[1], recent[2]];
      length = lengthOf(lengths, position);
      state = state < 7 ? 7 : 10;
      recent[0] = distanceOf(length);
      if (recent[0] === endMark) return to;
    } else {
      if (bit(isRepG0 + state) === 0) {
        if (bit(isRep0Long + (state << 4) + position) === 0) {
          if (recent[0] >= to) throw bad(`a byte ${recent[0] + 1} back, of ${to}`);
          state = state < 7 ? 9 : 11;
          out[to] = out[to - recent[0] - 1]!;
          to++;
          continue;
        }
      } else {
        const [a, b, c, d] = recent;
        if (bit(isRepG1 + state) === 0) recent = [b, a, c, d];
        else recent = bit(isRepG2 + state) === 0 ? [c, a, b, d] : [d, a, b, c];
      }
      length = lengthOf(lengths + lengthModels, position);
      state = state < 7 ? 8 : 11;
    }
    const back = recent[0] + 1;
    if (back > to) throw bad(`a match ${back} back, of ${to}`);
    const end = Math.min(out.length, to + length + shortestMatch);
    for (; to < end; to++) out[to] = out[to - back]!;
  }
  return to;
}
