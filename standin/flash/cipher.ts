import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';
import type { Device } from './flash.ts';

/** What is encrypted at once, as inline encryption of storage does. */
const sectorBytes = 4096;
const keyBytes = 64;
const nonceBytes = 12;
const tagBytes = 16;

/** A partition's bytes in AES-256-XTS (IEEE 1619), the sector's number as its tweak. */
export class CipherDevice implements Device {
  constructor(
    private readonly inner: Device,
    private readonly key: Uint8Array,
  ) {}

  get bytes(): number {
    return this.inner.bytes;
  }

  async read(offset: number, length: number, into?: Uint8Array): Promise<Uint8Array> {
    const first = Math.floor(offset / sectorBytes);
    const end = Math.min(this.bytes, Math.ceil((offset + length) / sectorBytes) * sectorBytes);
    const stored = await this.inner.read(first * sectorBytes, end - first * sectorBytes);
    const plain = this.turn(stored, first, 'open');
    const found = plain.subarray(offset - first * sectorBytes, offset - first * sectorBytes + length);
    if (!into) return found;
    into.set(found);
    return into.subarray(0, found.length);
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    if (offset + bytes.length > this.bytes) throw new RangeError('No space left on device');
    const first = Math.floor(offset / sectorBytes);
    const start = first * sectorBytes;
    const end = Math.ceil((offset + bytes.length) / sectorBytes) * sectorBytes;
    const isWhole = start === offset && end === offset + bytes.length;
    const plain = isWhole ? bytes : Buffer.from(await this.read(start, end - start));
    if (!isWhole) plain.set(bytes, offset - start);
    await this.inner.write(start, this.turn(plain, first, 'seal'));
  }

  private turn(bytes: Uint8Array, firstSector: number, way: 'seal' | 'open'): Buffer {
    const out = Buffer.allocUnsafe(bytes.length);
    const tweak = Buffer.alloc(16);
    for (let at = 0; at < bytes.length; at += sectorBytes) {
      tweak.writeBigUInt64LE(BigInt(firstSector + at / sectorBytes));
      const sector = bytes.subarray(at, at + sectorBytes);
      const cipher =
        way === 'seal'
          ? createCipheriv('aes-256-xts', this.key, tweak)
          : createDecipheriv('aes-256-xts', this.key, tweak);
      cipher.update(sector).copy(out, at);
    }
    return out;
  }
}

/** A new key for user data, and how it is kept on `metadata`: wrapped by the phone's own secret. */
export function newKey(secret: Uint8Array): { key: Uint8Array; wrapped: Uint8Array } {
  const key = randomBytes(keyBytes);
  const nonce = randomBytes(nonceBytes);
  const cipher = createCipheriv('aes-256-gcm', wrappingKey(secret), nonce);
  const sealed = Buffer.concat([cipher.update(key), cipher.final()]);
  return { key, wrapped: Buffer.concat([nonce, sealed, cipher.getAuthTag()]) };
}

/** The key again; undefined when the secret is not the one that wrapped it. */
export function unwrapKey(wrapped: Uint8Array, secret: Uint8Array): Uint8Array | undefined {
  const nonce = wrapped.subarray(0, nonceBytes);
  const sealed = wrapped.subarray(nonceBytes, nonceBytes + keyBytes);
  const tag = wrapped.subarray(nonceBytes + keyBytes, nonceBytes + keyBytes + tagBytes);
  if (tag.length < tagBytes) return undefined;
  try {
    const cipher = createDecipheriv('aes-256-gcm', wrappingKey(secret), nonce);
    cipher.setAuthTag(tag);
    return Buffer.concat([cipher.update(sealed), cipher.final()]);
  } catch {
    return undefined;
  }
}

const wrappingKey = (secret: Uint8Array) =>
  Buffer.from(hkdfSync('sha256', secret, new Uint8Array(), 'user data', 32));
