/** So many bytes are taken at once (Kounavis and Berry, "Novel table lookup-based algorithms", 2008). */
const slice = 8;

/**
 * Tables of a reflected CRC-32 with the given reversed polynomial, 256 words each: of a byte, of a byte with a zero byte behind
 * it, and so on.
 */
export function crcTables(polynomial: number): Uint32Array {
  const all = new Uint32Array(slice * 256);
  for (let byte = 0; byte < 256; byte++) {
    let value = byte;
    for (let bit = 0; bit < 8; bit++) value = value & 1 ? (value >>> 1) ^ polynomial : value >>> 1;
    all[byte] = value;
  }
  for (let i = 256; i < all.length; i++) all[i] = (all[i - 256]! >>> 8) ^ all[all[i - 256]! & 0xff]!;
  return all;
}

/** A CRC-32 register after some bytes, without the inversions. @param lookup of `crcTables` */
export function crcRegister(lookup: Uint32Array, bytes: Uint8Array, register: number): number {
  let i = 0;
  for (; i + slice <= bytes.length; i += slice) {
    const word =
      register ^ (bytes[i]! | (bytes[i + 1]! << 8) | (bytes[i + 2]! << 16) | (bytes[i + 3]! << 24));
    register =
      lookup[0x700 + (word & 0xff)]! ^
      lookup[0x600 + ((word >>> 8) & 0xff)]! ^
      lookup[0x500 + ((word >>> 16) & 0xff)]! ^
      lookup[0x400 + (word >>> 24)]! ^
      lookup[0x300 + bytes[i + 4]!]! ^
      lookup[0x200 + bytes[i + 5]!]! ^
      lookup[0x100 + bytes[i + 6]!]! ^
      lookup[bytes[i + 7]!]!;
  }
  for (; i < bytes.length; i++) register = (register >>> 8) ^ lookup[(register ^ bytes[i]!) & 0xff]!;
  return register >>> 0;
}
