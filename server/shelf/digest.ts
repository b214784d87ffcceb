import { createHash } from 'node:crypto';

/** A chunk's name: the first 256 bits of BLAKE2b-512 (RFC 7693) over its plain bytes. */
export const chunkDigest = (bytes: Uint8Array): Buffer =>
  createHash('blake2b512').update(bytes).digest().subarray(0, 32);
