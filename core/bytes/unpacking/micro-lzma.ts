import { decompress } from './lzma1.js';
import { FormatError } from '../format-error.ts';

const headBytes = 13; // of a .lzma file: properties u8, dictionary u32, size u64
/** Values of lc, lp and pb together (LZMA specification, "Properties"). */
const propertiesEnd = 9 * 5 * 5;

/**
 * Unpacks so many bytes of what XZ calls MicroLZMA: a stream of LZMA whose first byte, always zero, holds its properties
 * inverted (xz, src/liblzma/common/microlzma_decoder.c).
 */
export function unpackMicroLzma(input: Uint8Array, bytes: number): Uint8Array {
  const bad = (reason: string) => new FormatError('microlzma', 'data', 0, reason);
  const properties = ~(input[0] ?? 0) & 0xff;
  if (input.length < 5 || properties >= propertiesEnd) throw bad('it has no properties');
  const file = new Uint8Array(headBytes + input.length);
  const view = new DataView(file.buffer);
  file[0] = properties;
  view.setUint32(1, bytes, true);
  view.setBigUint64(5, BigInt(bytes), true);
  file.set(input, headBytes);
  file[headBytes] = 0;
  try {
    return decompress(file);
  } catch (error) {
    throw bad((error as Error).message);
  }
}
