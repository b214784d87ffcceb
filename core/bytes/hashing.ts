import { sha256 as portableSha256, sha512 as portableSha512 } from '@noble/hashes/sha2.js';

export type HashName = 'sha256' | 'sha512';

/** A hash that is fed piece by piece. */
export interface StreamHash {
  update(bytes: Uint8Array): StreamHash;
  digest(): Uint8Array;
}

const portable = { sha256: portableSha256, sha512: portableSha512 };
let begin = (name: HashName): StreamHash => portable[name].create();

/**
 * Has hashes computed by what the platform has of its own, which is many times faster than a portable program; to be
 * said once, by whatever starts on that platform.
 */
export function useHashesOf(platform: (name: HashName) => StreamHash): void {
  begin = platform;
}

/** A hash to be fed (FIPS 180-4). */
export const hashing = (name: HashName): StreamHash => begin(name);

/** SHA-256 of bytes (FIPS 180-4). */
export const sha256 = (bytes: Uint8Array): Uint8Array => hashing('sha256').update(bytes).digest();
