import { FormatError } from '../format-error.ts';
import { unpackLzma } from './lzma.ts';

/** Values of lc, lp and pb together (LZMA specification, "Properties"). */
const propertiesEnd = 9 * 5 * 5;
/** Of lc and lp together: no kernel takes more (Linux, lib/xz/xz_dec_lzma2.c, lzma_props). */
const mostLiteralBits = 4;

/**
 * Unpacks so many bytes of what XZ calls MicroLZMA: a stream of LZMA whose first byte, always zero, holds its properties
 * inverted (xz, src/liblzma/common/microlzma_decoder.c).
 */
export function unpackMicroLzma(input: Uint8Array, bytes: number): Uint8Array {
  const properties = ~(input[0] ?? 0) & 0xff;
  const [lc, lp, pb] = [properties % 9, Math.floor(properties / 9) % 5, Math.floor(properties / 45)];
  if (input.length < 5 || properties >= propertiesEnd || lc + lp > mostLiteralBits)
    throw new FormatError('microlzma', 'data', 0, 'it has no properties that a kernel takes');
  const out = new Uint8Array(bytes);
  return out.subarray(0, unpackLzma(input, { lc, lp, pb }, out));
}
