import { randomBytes } from 'node:crypto';
import { ascii, layout, raw, u32 } from '@keen-larder/core/bytes/layout.ts';
import { SealFailure } from '../failures.ts';
import { gcmOpen, gcmSeal, nonceBytes, tagBytes } from './aes-gcm.ts';
import { derivedKey, type OpenSeal } from './seal-key.ts';

/** Stands before what is sealed; see docs/shelf-format.md. */
const sealedHead = layout('sealed object', {
  magic: ascii(8), // "KLclosed"
  version: u32,
  segmentBytes: u32, // plain bytes of each segment but the last
  salt: raw(32), // of the object's own key
});
const magic = 'KLclosed';
const version = 1;
const usualSegmentBytes = 64 * 1024;
const mostSegmentBytes = 16 << 20;
const purpose = 'keen-larder object';

/** Whether something begins as what is sealed does. */
export const isSealed = (bytes: Buffer): boolean => bytes.toString('latin1', 0, magic.length) === magic;

/** Of what has so many plain bytes. */
export const sealedSize = (plainBytes: number, segmentBytes = usualSegmentBytes): number =>
  sealedHead.bytes + plainBytes + tagBytes * segmentsOf(plainBytes, segmentBytes);

const segmentsOf = (plainBytes: number, segmentBytes: number): number =>
  Math.max(1, Math.ceil(plainBytes / segmentBytes));

/** A nonce is never used twice: each object has a key of its own, each segment its number. */
function nonceOf(index: number, isLast: boolean): Buffer {
  const nonce = Buffer.alloc(nonceBytes);
  nonce[0] = isLast ? 1 : 0;
  nonce.writeBigUInt64BE(BigInt(index), 4);
  return nonce;
}

const boundTo = (head: Uint8Array, name: string) => Buffer.concat([head, Buffer.from(name)]);

/**
 * Seals bytes, in segments that can be opened by themselves.
 * @param name under which they are kept: under another one they cannot be opened
 */
export function sealBytes({ master }: OpenSeal, name: string, plain: Uint8Array): Buffer {
  const salt = randomBytes(32);
  const head = new Uint8Array(sealedHead.bytes);
  sealedHead.write(head, 0, { magic, version, segmentBytes: usualSegmentBytes, salt });
  const key = derivedKey(master, salt, purpose);
  const bound = boundTo(head, name);
  const count = segmentsOf(plain.length, usualSegmentBytes);
  const out = Buffer.allocUnsafe(sealedSize(plain.length));
  out.set(head);
  let at = head.length;
  for (let i = 0; i < count; i++) {
    const segment = plain.subarray(i * usualSegmentBytes, (i + 1) * usualSegmentBytes);
    at += gcmSeal(key, nonceOf(i, i === count - 1), bound, segment).copy(out, at);
  }
  return out;
}

/** Something sealed that is read in parts. */
export interface SealedSource {
  /** With its seal. */
  readonly bytes: number;
  read(offset: number, length: number): Promise<Uint8Array>;
}

/** What is sealed, opened as far as it is read. */
export class SealedReader {
  /** Plain bytes. */
  readonly bytes: number;
  private readonly key: Buffer;
  private readonly bound: Buffer;
  private readonly segmentBytes: number;

  private constructor(
    private readonly source: SealedSource,
    private readonly name: string,
    head: Uint8Array,
    { master }: OpenSeal,
  ) {
    const found = sealedHead.read(head, 0);
    if (found.magic !== magic) throw new SealFailure('format', `${name} is not sealed.`);
    if (found.version !== version || found.segmentBytes < 1 || found.segmentBytes > mostSegmentBytes)
      throw new SealFailure('format', `${name} was sealed by another version of Keen Larder.`);
    this.segmentBytes = found.segmentBytes;
    this.key = derivedKey(master, found.salt, purpose);
    this.bound = boundTo(head.subarray(0, sealedHead.bytes), name);
    const segments = Math.ceil((source.bytes - sealedHead.bytes) / (this.segmentBytes + tagBytes));
    this.bytes = source.bytes - sealedHead.bytes - tagBytes * segments;
    if (segments < 1 || this.bytes < 0) throw new SealFailure('cut', `${name} is cut off.`);
  }

  /** @throws SealFailure where it is not sealed at all */
  static async open(seal: OpenSeal, name: string, source: SealedSource): Promise<SealedReader> {
    if (source.bytes < sealedHead.bytes) throw new SealFailure('cut', `${name} is cut off.`);
    return new SealedReader(source, name, await source.read(0, sealedHead.bytes), seal);
  }

  /** @throws SealFailure where a segment is not as it was sealed */
  async read(offset: number, length: number): Promise<Buffer> {
    const end = Math.min(offset + length, this.bytes);
    const first = Math.floor(offset / this.segmentBytes);
    const count = segmentsOf(this.bytes, this.segmentBytes);
    const last = Math.min(count, Math.max(first + 1, Math.ceil(end / this.segmentBytes)));
    const stride = this.segmentBytes + tagBytes;
    const from = sealedHead.bytes + first * stride;
    const closed = await this.source.read(
      from,
      Math.min(last * stride + sealedHead.bytes, this.source.bytes) - from,
    );
    const plain: Buffer[] = [];
    for (let i = first; i < last; i++) {
      const at = (i - first) * stride;
      plain.push(this.opened(closed.subarray(at, at + stride), i, i === count - 1));
    }
    const start = first * this.segmentBytes;
    return Buffer.concat(plain).subarray(offset - start, Math.max(offset, end) - start);
  }

  private opened(closed: Uint8Array, index: number, isLast: boolean): Buffer {
    if (closed.length < tagBytes) throw new SealFailure('cut', `${this.name} is cut off.`);
    const plain = gcmOpen(this.key, nonceOf(index, isLast), this.bound, closed);
    if (!plain)
      throw new SealFailure(
        'changed',
        `${this.name} is not as it was sealed: it was changed or cut off, lies under another name, or was sealed with another key.`,
      );
    return plain;
  }
}

/** All of it at once. @throws SealFailure */
export async function openBytes(seal: OpenSeal, name: string, sealed: Uint8Array): Promise<Buffer> {
  const source = {
    bytes: sealed.length,
    read: (offset: number, length: number) => Promise.resolve(sealed.subarray(offset, offset + length)),
  };
  const reader = await SealedReader.open(seal, name, source);
  return reader.read(0, reader.bytes);
}
