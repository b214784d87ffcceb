import { crcRegister, crcTables } from './sliced.ts';

const ieee = crcTables(0xedb88320);

export const crc32 = (bytes: Uint8Array): number => (crcRegister(ieee, bytes, 0xffffffff) ^ 0xffffffff) >>> 0;
