import { crc32 as ofZlib } from 'node:zlib';

/** By the processor's own instructions. */
export const crc32 = (bytes: Uint8Array): number => ofZlib(bytes);
