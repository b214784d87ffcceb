// Judged by img2simg and simg2img (Debian's android-sdk-libsparse-utils, AOSP libsparse).
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../testing/folder.ts';
import { crc32 as zlibCrc32 } from 'node:zlib';
import { memorySource } from '../../bytes/source.ts';
import { inspectImage } from '../inspect/inspect.ts';
import {
  planSparse,
  readSparse,
  sparsePieces,
  writeSparse,
  type SparseFile,
  type SparseRun,
} from './android-sparse.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
const blockBytes = 4096;

/** The image that a sparse file describes, what it leaves alone as zeros. */
async function unpack(sparse: Uint8Array): Promise<Buffer> {
  const { imageBytes } = await readSparse(memorySource(sparse));
  const out = new Uint8Array(imageBytes);
  let end = 0;
  for await (const piece of sparsePieces(memorySource(sparse))) {
    expect(piece.offset).toBe(end);
    if ('bytes' in piece) out.set(piece.bytes, piece.offset);
    if ('fill' in piece) new Uint32Array(out.buffer, piece.offset, piece.length / 4).fill(piece.fill);
    end =
      piece.offset + ('bytes' in piece ? piece.bytes.length : 'fill' in piece ? piece.length : piece.skip);
  }
  expect(end).toBe(out.length);
  return Buffer.from(out.buffer);
}

/** Which blocks of an image are zeros. */
const runsOf = (raw: Buffer): SparseRun[] =>
  Array.from({ length: raw.length / blockBytes }, (_, i) => ({
    zeros: raw.subarray(i * blockBytes, (i + 1) * blockBytes).every((byte) => byte === 0),
    blocks: 1,
  }));

async function pack(file: SparseFile, raw: Buffer): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  const read = async function* (offset: number, bytes: number) {
    yield await Promise.resolve(raw.subarray(offset, offset + bytes));
  };
  for await (const part of writeSparse(file, read)) parts.push(part);
  const packed = Buffer.concat(parts);
  expect(packed.length).toBe(file.bytes);
  return packed;
}

/** Blocks that hold something, and blocks that do not. */
function image(blocks: number, holds: (block: number) => number): Buffer {
  const raw = Buffer.alloc(blocks * blockBytes);
  for (let i = 0; i < blocks; i++) {
    const seed = holds(i);
    for (let n = 0; seed && n < blockBytes; n++) raw[i * blockBytes + n] = (n * seed + (n >> 7)) & 0xff;
  }
  return raw;
}

describe('sparse images', () => {
  const raw = image(40, (block) => (block >= 3 && block < 6 ? 31 : 0));
  raw.fill(0xab, blockBytes * 20, blockBytes * 23);

  it('of img2simg are read', async () => {
    writeFileSync(at('raw.img'), raw);
    execFileSync('img2simg', [at('raw.img'), at('theirs.simg')]);
    const sparse = readFileSync(at('theirs.simg'));
    expect(await readSparse(memorySource(sparse))).toMatchObject({ blockBytes, imageBytes: raw.length });
    expect((await unpack(sparse)).equals(raw)).toBe(true);
  });

  it('of ours are read by simg2img', async () => {
    const [file, ...more] = planSparse(runsOf(raw), { blockBytes });
    expect(more).toEqual([]);
    const packed = await pack(file!, raw);
    expect(packed.length).toBeLessThan(raw.length / 5);
    writeFileSync(at('ours.simg'), packed);
    execFileSync('simg2img', [at('ours.simg'), at('back.img')]);
    expect(readFileSync(at('back.img')).equals(raw)).toBe(true);
  });

  it('of ours in several files are put together by simg2img, each within its size', async () => {
    const large = image(300, (block) => (block % 7 === 0 ? 0 : block + 1));
    const maxBytes = 200_000;
    const files = planSparse(runsOf(large), { blockBytes, maxBytes });
    expect(files.length).toBeGreaterThan(5);
    const names: string[] = [];
    for (const [i, file] of files.entries()) {
      const packed = await pack(file, large);
      expect(packed.length).toBeLessThanOrEqual(maxBytes);
      writeFileSync(at(`part${i}.simg`), packed);
      names.push(at(`part${i}.simg`));
    }
    execFileSync('simg2img', [...names, at('joined.img')]);
    expect(readFileSync(at('joined.img')).equals(large)).toBe(true);
  });

  it('come back as they went in, whatever the runs and however small the files', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.nat(3), { minLength: 1, maxLength: 40 }),
        fc.integer({ min: 4200, max: 60_000 }),
        async (kinds, maxBytes) => {
          const bytes = image(kinds.length, (block) => kinds[block]!);
          const joined = Buffer.alloc(bytes.length);
          let next = 0;
          for (const file of planSparse(runsOf(bytes), { blockBytes, maxBytes })) {
            const own = file.chunks.filter(({ type }) => type !== 'skip');
            expect(own[0]!.block).toBe(next);
            next = own.at(-1)!.block + own.at(-1)!.blocks;
            const part = await unpack(await pack(file, bytes));
            part.copy(joined, own[0]!.block * blockBytes, own[0]!.block * blockBytes, next * blockBytes);
          }
          expect(next).toBe(kinds.length);
          expect(joined.equals(bytes)).toBe(true);
        },
      ),
      { numRuns: 60, seed: 20261125 },
    );
  });

  it('with a CRC chunk are held to it, also over fills far too long to walk through', async () => {
    // One raw block, 2^32 blocks of a fill would be 16 TiB; 2^30 of them are 4 TiB, gone through in no time.
    const sparse = withCrc(2 ** 30, 0);
    const error = await (async () => {
      for await (const piece of sparsePieces(memorySource(sparse))) void piece;
    })().catch((caught: unknown) => caught);
    expect(error).toMatchObject({ name: 'FormatError', field: 'CRC-32', offset: 4164 });
    const computed = /so far has 0x([0-9a-f]+)/.exec((error as Error).message)![1]!;
    sparse.writeUInt32LE(parseInt(computed, 16), 4164);
    for await (const piece of sparsePieces(memorySource(sparse))) void piece;
  });

  it('are read to their CRC-32 when they are inspected', async () => {
    const whole = Buffer.concat([Buffer.alloc(4096, 'a block '), Buffer.alloc(8 * 4096, '\x04\x03\x02\x01')]);
    const sparse = withCrc(8, zlibCrc32(whole));
    const { fields, findings } = await inspectImage(memorySource(sparse));
    expect([fields['CRC-32'], findings]).toEqual(['as it says', []]);
    sparse[100]! ^= 1;
    const damaged = await inspectImage(memorySource(sparse));
    expect(damaged.fields['CRC-32']).toBe('not as it says');
    expect(damaged.findings).toEqual([expect.stringMatching(/CRC-32.*the image so far has/)]);
  });
});

/** One raw block, blocks of a fill, and what the CRC-32 of both is said to be. */
function withCrc(fillBlocks: number, crc: number): Buffer {
  const sparse = Buffer.alloc(28 + 12 + 4096 + 16 + 16);
  const words = [0xed26ff3a, 1, 28 | (12 << 16), 4096, 1 + fillBlocks, 3, 0];
  words.forEach((word, i) => sparse.writeUInt32LE(word, i * 4));
  [0xcac1, 1, 12 + 4096].forEach((word, i) => sparse.writeUInt32LE(word, 28 + i * 4));
  sparse.fill('a block ', 40, 40 + 4096);
  [0xcac2, fillBlocks, 16, 0x01020304].forEach((word, i) => sparse.writeUInt32LE(word, 4136 + i * 4));
  [0xcac4, 0, 16, crc].forEach((word, i) => sparse.writeUInt32LE(word, 4152 + i * 4));
  return sparse;
}
