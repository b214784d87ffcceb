import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { readPayload } from '@keen-larder/core/formats/update-payload/payload.ts';
import { makePayload, type NewPayload } from '../../../testing/firmware/update-payload.ts';
import { filler } from '../../../standin/firmware/filler.ts';
import unpack from './operations-worker.ts';
import { payloadImage } from './payload-images.ts';

const none = new Uint8Array(0);
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest();

describe('operations that are unpacked', () => {
  const words = Buffer.from('tide and gauge '.repeat(1000));
  const zstd = (bytes: Uint8Array) => execFileSync('zstd', ['-q', '-c'], { input: bytes });
  const bzip2 = (bytes: Uint8Array) => execFileSync('bzip2', ['-c'], { input: bytes });
  const xz = (bytes: Uint8Array) => execFileSync('xz', ['-c'], { input: bytes });
  const { length: bytes } = words;

  it.each([
    ['zstd that makes more', { type: 'replace zstd', data: zstd(words), bytes: bytes - 1 }],
    ['zstd that makes less', { type: 'replace zstd', data: zstd(words), bytes: bytes + 1 }],
    ['zstd that says that it makes terabytes', { type: 'replace zstd', data: endless(), bytes }],
    ['bzip2 that makes more', { type: 'replace bz2', data: bzip2(words), bytes: bytes - 1 }],
    ['bzip2 that makes less', { type: 'replace bz2', data: bzip2(words), bytes: bytes + 1 }],
    ['xz that makes more', { type: 'replace xz', data: xz(words), bytes: bytes - 1 }],
    ['what is stored and is less', { type: 'replace', data: words, bytes: bytes + 1 }],
  ])('are refused one by one: %s', async (_what, wrong) => {
    const right = { type: 'replace xz', data: xz(words), bytes, sha256: none };
    expect(await unpack([right, { ...wrong, sha256: none }, right])).toMatchObject({
      at: 1,
      reason: expect.stringContaining('does not unpack') as string,
    });
  });

  it('are held against their digests first', async () => {
    const one = { type: 'replace', data: words, bytes };
    const found = await unpack([
      { ...one, sha256: sha256(words) },
      { ...one, sha256: sha256(none) },
    ]);
    expect(found).toEqual({ at: 1, reason: 'the data of an operation do not match their SHA-256' });
  });
});

/** A frame of zstd that says of itself that it has 2^50 bytes (RFC 8878, 3.1.1). */
function endless(): Buffer {
  const size = Buffer.alloc(8);
  size.writeBigUInt64LE(1n << 50n);
  return Buffer.concat([Buffer.from([0x28, 0xb5, 0x2f, 0xfd, 0xe0]), size, Buffer.from([1, 0, 0])]);
}

describe('a partition of an update', () => {
  const image = Buffer.concat(
    Array.from({ length: 40 }, (_, i) =>
      Buffer.concat([filler('records', i, 1 << 19), Buffer.alloc(1 << 19)]),
    ),
  );
  const put = async (order: Partial<NewPayload>) => {
    const file = makePayload({ partitions: { system: image }, packedBy: ['REPLACE_ZSTD'], ...order });
    const reads: number[] = [];
    const source = memorySource(file);
    const counted = {
      bytes: source.bytes,
      read: (at: number, length: number) => {
        reads.push(at);
        return source.read(at, length);
      },
    };
    const payload = await readPayload(source);
    return { reads, stream: payloadImage(counted, payload, payload.manifest.partitions[0]!) };
  };

  it('whose operations write in several places far from each other is put together', async () => {
    const { stream } = await put({ operationBytes: 1 << 20, scattered: true });
    const hash = createHash('sha256');
    for await (const part of stream) hash.update(part);
    expect(hash.digest().equals(sha256(image))).toBe(true);
  });

  it('of which only the beginning is wanted has one operation read', async () => {
    const { reads, stream } = await put({ operationBytes: 1 << 20 });
    const first = await stream.next();
    await stream.return(undefined);
    expect(Buffer.compare(first.value as Uint8Array, image.subarray(0, 1 << 20))).toBe(0);
    expect(reads.length).toBe(1);
  });
});
