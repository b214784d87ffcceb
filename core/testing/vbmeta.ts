// Verified-boot images by the published layout (AOSP external/avb), with plain offsets and node:crypto.
import { createHash, createPublicKey, generateKeyPairSync, sign, type KeyObject } from 'node:crypto';

export interface Keys {
  privateKey: KeyObject;
  /** As in the image: bits, n0inv, modulus, R² mod n. */
  encoded: Buffer;
}

/** An RSA key pair and its public half as images carry it. */
export function keys(bits: number): Keys {
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: bits, publicExponent: 65537 });
  const { n } = createPublicKey(privateKey).export({ format: 'jwk' });
  const modulus = Buffer.from(n!, 'base64url');
  const value = BigInt(`0x${modulus.toString('hex')}`);
  const r = 1n << BigInt(bits);
  let inverse = 1n;
  for (let i = 0; i < 6; i++) inverse = (inverse * (2n - value * inverse)) & 0xffffffffn;
  const encoded = Buffer.alloc(8 + (bits / 8) * 2);
  encoded.writeUInt32BE(bits, 0);
  encoded.writeUInt32BE(Number((2n ** 32n - (inverse & 0xffffffffn)) & 0xffffffffn), 4);
  modulus.copy(encoded, 8);
  Buffer.from(((r * r) % value).toString(16).padStart(bits / 4, '0'), 'hex').copy(encoded, 8 + bits / 8);
  return { privateKey, encoded };
}

const pad = (bytes: Buffer, to: number) =>
  Buffer.concat([bytes, Buffer.alloc((to - (bytes.length % to)) % to)]);
export const u32 = (value: number) => {
  const bytes = Buffer.alloc(4);
  bytes.writeUInt32BE(value);
  return bytes;
};
export const u64 = (value: number | bigint) => {
  const bytes = Buffer.alloc(8);
  bytes.writeBigUInt64BE(BigInt(value));
  return bytes;
};
const text = (value: string, room: number) =>
  Buffer.concat([Buffer.from(value), Buffer.alloc(room)]).subarray(0, room);
const descriptor = (tag: number, ...body: Buffer[]) => {
  const bytes = pad(Buffer.concat(body), 8);
  return Buffer.concat([u64(tag), u64(bytes.length), bytes]);
};

const salt = Buffer.from('00112233445566778899aabbccddeeff', 'hex');
export const boot = Buffer.alloc(300_000, 'kernel and ramdisk ');
export const bootDigest = createHash('sha256').update(salt).update(boot).digest();
export const rootDigest = createHash('sha256').update('root').digest();

export const hashOf = (name: string, bytes: number, digest: Buffer) =>
  descriptor(
    2,
    u64(bytes),
    text('sha256', 32),
    u32(name.length),
    u32(salt.length),
    u32(digest.length),
    u32(0),
    Buffer.alloc(60),
    Buffer.from(name),
    salt,
    digest,
  );

/** One of every kind of descriptor, and an unknown one. */
export function descriptors(chained: Keys): Buffer {
  return Buffer.concat([
    descriptor(
      0,
      u64(23),
      u64(10),
      Buffer.from('com.android.build.patch'),
      Buffer.of(0),
      Buffer.from('2026-03-05'),
      Buffer.of(0),
    ),
    hashOf('boot', boot.length, bootDigest),
    descriptor(
      1,
      ...[u32(1), u64(1 << 20), u64(1 << 20), u64(16384), u32(4096), u32(4096), u32(0), u64(0), u64(0)],
      ...[text('sha256', 32), u32(6), u32(salt.length), u32(32), u32(1), Buffer.alloc(60)],
      ...[Buffer.from('system'), salt, rootDigest],
    ),
    descriptor(3, u32(1), u32(9), Buffer.from('root=dm-0')),
    descriptor(
      4,
      u32(2),
      u32(13),
      u32(chained.encoded.length),
      u32(0),
      Buffer.alloc(60),
      Buffer.from('vbmeta_system'),
      chained.encoded,
    ),
    descriptor(77, Buffer.alloc(16)),
  ]);
}

interface Options {
  algorithm: number;
  hash: 'sha256' | 'sha512';
  signer?: Keys;
  listed: Buffer;
  flags?: number;
}

/** A vbmeta image by the published layout. */
export function vbmeta({ algorithm, hash, signer, listed, flags = 0 }: Options): Buffer {
  const key = signer?.encoded ?? Buffer.alloc(0);
  const auxiliary = pad(Buffer.concat([listed, key]), 64);
  const hashBytes = signer ? (hash === 'sha256' ? 32 : 64) : 0;
  const signatureBytes = signer ? (signer.encoded.length - 8) / 2 : 0;
  const authenticationBytes = Math.ceil((hashBytes + signatureBytes) / 64) * 64;
  const header = Buffer.concat([
    ...[Buffer.from('AVB0'), u32(1), u32(0), u64(authenticationBytes), u64(auxiliary.length), u32(algorithm)],
    ...[u64(0), u64(hashBytes), u64(hashBytes), u64(signatureBytes)],
    ...[u64(listed.length), u64(key.length), u64(0), u64(0), u64(0), u64(listed.length)],
    ...[u64(7), u32(flags), u32(3), text('avbtool 1.3.0', 48), Buffer.alloc(80)],
  ]);
  const signed = Buffer.concat([header, auxiliary]);
  const authentication = Buffer.alloc(authenticationBytes);
  if (signer) {
    createHash(hash).update(signed).digest().copy(authentication);
    sign(hash, signed, signer.privateKey).copy(authentication, hashBytes);
  }
  return Buffer.concat([header, authentication, auxiliary]);
}
