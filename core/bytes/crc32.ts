/** Table of a reflected CRC-32 with the given reversed polynomial. */
function table(polynomial: number): Uint32Array {
  return Uint32Array.from({ length: 256 }, (_, byte) => {
    let value = byte;
    for (let bit = 0; bit < 8; bit++) value = value & 1 ? (value >>> 1) ^ polynomial : value >>> 1;
    return value >>> 0;
  });
}

const ieee = table(0xedb88320);
const castagnoli = table(0x82f63b78);

function run(lookup: Uint32Array, bytes: Uint8Array, register: number): number {
  for (const byte of bytes) register = (register >>> 8) ^ lookup[(register ^ byte) & 0xff]!;
  return register >>> 0;
}

/** CRC-32 of ISO 3309, as UEFI uses it for the GPT; check value of "123456789" is 0xcbf43926. */
export const crc32 = (bytes: Uint8Array): number => (run(ieee, bytes, 0xffffffff) ^ 0xffffffff) >>> 0;

/**
 * CRC-32C register without the final inversion, as ext4's `metadata_csum` uses it.
 * @param register the running value; 0xffffffff to start
 */
export const crc32cRegister = (bytes: Uint8Array, register = 0xffffffff): number =>
  run(castagnoli, bytes, register);
