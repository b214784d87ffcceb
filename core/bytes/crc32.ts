import { crc32 } from '#crc32';
import { crcRegister, crcTables } from './crc/sliced.ts';

const castagnoli = crcTables(0x82f63b78);

/** CRC-32 of ISO 3309, as UEFI uses it for the GPT; check value of "123456789" is 0xcbf43926. */
export { crc32 };

/**
 * CRC-32C register without the final inversion, as ext4's `metadata_csum` uses it.
 * @param register the running value; 0xffffffff to start
 */
export const crc32cRegister = (bytes: Uint8Array, register = 0xffffffff): number =>
  crcRegister(castagnoli, bytes, register);

/** A 32 by 32 matrix over bits, a word a column. */
type BitMatrix = readonly number[];

const times = (matrix: BitMatrix, vector: number): number => {
  let sum = 0;
  for (let i = 0, left = vector; left !== 0; i++, left >>>= 1) if (left & 1) sum ^= matrix[i]!;
  return sum >>> 0;
};
const squared = (matrix: BitMatrix): BitMatrix => matrix.map((column) => times(matrix, column));

/** What one more zero byte does to the register: the matrix of one bit, to the eighth power. */
const zeroByte = squared(
  squared(squared([0xedb88320, ...Array.from({ length: 31 }, (_, i) => (1 << i) >>> 0)])),
);

/**
 * CRC-32 of two byte strings one behind the other, from the CRC-32 of each, in time that grows with the
 * logarithm of the second's length (as zlib's crc32_combine).
 */
export function crc32Combine(first: number, second: number, secondBytes: number): number {
  let shifted = first;
  for (let left = secondBytes, matrix = zeroByte; left > 0; left = Math.floor(left / 2)) {
    if (left % 2 === 1) shifted = times(matrix, shifted);
    if (left > 1) matrix = squared(matrix);
  }
  return (shifted ^ second) >>> 0;
}

/** CRC-32 of a byte string repeated so many times. */
export function crc32Repeated(bytes: Uint8Array, count: number): number {
  let crc = 0;
  let unit = { crc: crc32(bytes), bytes: bytes.length };
  for (let left = count; left > 0; left = Math.floor(left / 2)) {
    if (left % 2 === 1) crc = crc32Combine(crc, unit.crc, unit.bytes);
    unit = { crc: crc32Combine(unit.crc, unit.crc, unit.bytes), bytes: unit.bytes * 2 };
  }
  return crc;
}
