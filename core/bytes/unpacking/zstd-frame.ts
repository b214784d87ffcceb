import { FormatError } from '../format-error.ts';

const magic = [0x28, 0xb5, 0x2f, 0xfd];
const singleSegment = 0x20;
const hasChecksum = 0x04;
const repeated = 1;

/** Where a frame ends, and how much of what it unpacks to must be kept at hand. */
export interface ZstdFrame {
  readonly bytes: number;
  readonly windowBytes: number;
}

/**
 * The frame that some bytes begin with (RFC 8878, 3.1.1), by its headers alone: a library takes all the memory that a header asks for.
 * @throws FormatError where there is none, or it ends early
 */
export function zstdFrame(input: Uint8Array): ZstdFrame {
  const bad = (at: number, reason: string) => new FormatError('zstd', 'frame', at, reason);
  const little = (at: number, bytes: number): number => {
    if (at + bytes > input.length) throw bad(at, 'it ends early');
    let value = 0;
    for (let i = bytes - 1; i >= 0; i--) value = value * 256 + input[at + i]!;
    return value;
  };
  if (magic.some((byte, i) => input[i] !== byte)) throw bad(0, 'its mark is missing');
  const flags = little(4, 1);
  const isSingle = (flags & singleSegment) !== 0;
  let at = 5;
  let windowBytes = 0;
  if (!isSingle) {
    const window = little(at++, 1);
    const base = 2 ** (10 + (window >> 3));
    windowBytes = base + (base / 8) * (window & 7);
  }
  at += [0, 1, 2, 4][flags & 3]!;
  const sizeBytes = [isSingle ? 1 : 0, 2, 4, 8][flags >> 6]!;
  if (isSingle) windowBytes = little(at, sizeBytes) + (sizeBytes === 2 ? 256 : 0);
  at += sizeBytes;
  for (let isLast = false; !isLast;) {
    const head = little(at, 3);
    isLast = (head & 1) === 1;
    at += 3 + (((head >> 1) & 3) === repeated ? 1 : head >> 3);
  }
  if (flags & hasChecksum) at += 4;
  if (at > input.length) throw bad(at, 'it ends early');
  return { bytes: at, windowBytes };
}
