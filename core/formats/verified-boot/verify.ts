import { hashing, type HashName } from '../../bytes/hashing.ts';
import { hex } from '../../bytes/text.ts';
import type { ByteSource } from '../../bytes/source.ts';
import type { HashDescriptor } from './descriptors.ts';
import { publicKeyHeader } from './layouts.ts';
import type { Vbmeta } from './vbmeta-reader.ts';

/** What came of checking a vbmeta image against itself. */
export type VbmetaVerdict =
  | { readonly result: 'valid' }
  | { readonly result: 'not signed' }
  | { readonly result: 'invalid'; readonly reason: string };

const isKnown = (name: string): name is HashName => name === 'sha256' || name === 'sha512';

/** Public exponent of every key (avb_rsa.c). */
const exponent = 65537n;

/** DER prefixes of DigestInfo (RFC 8017, 9.2, note 1). */
const digestInfo = {
  sha256: '3031300d060960864801650304020105000420',
  sha512: '3051300d060960864801650304020305000440',
} as const;

/**
 * Verifies digest and signature of a vbmeta image with the key that it carries itself. Whether that key is
 * the maker's is another question: compare `publicKey`.
 */
export function verifyVbmeta({ algorithm, signed, digest, signature, publicKey }: Vbmeta): VbmetaVerdict {
  if (!algorithm) return { result: 'not signed' };
  const invalid = (reason: string): VbmetaVerdict => ({ result: 'invalid', reason });
  const computed = hashing(algorithm.hash).update(signed).digest();
  if (hex(computed) !== hex(digest)) return invalid('its contents do not match their digest');
  const keyBytes = algorithm.keyBits / 8;
  if (publicKey.length !== publicKeyHeader.bytes + 2 * keyBytes) {
    return invalid(`a key of ${publicKey.length} bytes does not belong to ${algorithm.name}`);
  }
  if (publicKeyHeader.read(publicKey).keyBits !== algorithm.keyBits) {
    return invalid(`the key does not have the ${algorithm.keyBits} bits of ${algorithm.name}`);
  }
  if (signature.length !== keyBytes) return invalid(`a signature of ${signature.length} bytes`);
  const modulus = toInteger(publicKey.subarray(publicKeyHeader.bytes, publicKeyHeader.bytes + keyBytes));
  const value = toInteger(signature);
  if (modulus === 0n || value >= modulus) return invalid('the signature is not below the modulus');
  const opened = power(value, exponent, modulus)
    .toString(16)
    .padStart(keyBytes * 2, '0');
  return opened === encoded(algorithm.hash, hex(computed), keyBytes)
    ? { result: 'valid' }
    : invalid('the signature is not of this key');
}

/**
 * Whether an image has the digest that a hash descriptor gives: over the salt and the image's first bytes.
 * @param source the partition; undefined as the answer when it is too small or the algorithm is unknown
 */
export async function matchesHash(
  descriptor: HashDescriptor,
  source: ByteSource,
): Promise<boolean | undefined> {
  const { algorithm, imageBytes, salt, digest } = descriptor;
  if (!isKnown(algorithm) || imageBytes > source.bytes) return undefined;
  const hash = hashing(algorithm).update(salt);
  for (let at = 0; at < imageBytes;) {
    const bytes = await source.read(at, Math.min(pieceBytes, imageBytes - at));
    if (bytes.length === 0) return undefined;
    hash.update(bytes);
    at += bytes.length;
  }
  return hex(hash.digest()) === hex(digest);
}

const pieceBytes = 1 << 20;

/** EMSA-PKCS1-v1_5 (RFC 8017, 9.2) as hexadecimal digits. */
function encoded(hash: keyof typeof digestInfo, digest: string, keyBytes: number): string {
  const info = digestInfo[hash] + digest;
  return `0001${'ff'.repeat(keyBytes - 3 - info.length / 2)}00${info}`;
}

const toInteger = (bytes: Uint8Array): bigint => BigInt(`0x${hex(bytes) || '0'}`);

function power(base: bigint, by: bigint, modulus: bigint): bigint {
  let result = 1n;
  for (let square = base % modulus, left = by; left > 0n; left >>= 1n) {
    if (left & 1n) result = (result * square) % modulus;
    square = (square * square) % modulus;
  }
  return result;
}
