// Digests beside the examples of FIPS 180-4 and RFC 1321 and beside coreutils; the shelf beside zstd
// (RFC 8878) and b3sum (the BLAKE3 paper's own tool), by the description in docs/shelf-format.md alone.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../testing/bench.ts';
import { filler } from '../../standin/firmware/filler.ts';
import { chunkStatements } from '../database/chunks.ts';
import { openDatabase } from '../database/open.ts';
import { shelfStatements } from '../database/shelves.ts';
import { readImage } from './image-reader.ts';
import type { StoredImage } from './image-writer.ts';
import { unpackChunkList } from './manifest.ts';
import { listRecords, OpenPack } from './packs/pack-reader.ts';
import { SetWriter } from './set-writer.ts';
import { Shelf } from './shelf.ts';
import { ShelfWorkers } from './threads/workers.ts';
import { DamagedImage } from '../failures.ts';

const folder = testFolder();
const workers = new ShelfWorkers();
const db = openDatabase(':memory:');
const catalogue = {
  chunks: chunkStatements(db),
  identity: shelfStatements(db),
  now: Date.now,
  nowMs: () => 0,
};
const { shelf } = await Shelf.open(join(folder.path, 'shelf'), 'test', catalogue, workers);
/** As a catalogue that is made anew lists a pack. */
function recordsOf(path: string) {
  const pack = new OpenPack(path);
  try {
    return listRecords(pack);
  } finally {
    pack.close();
  }
}
afterAll(async () => {
  shelf.close();
  await workers.close();
  db.close();
  folder.remove();
});

async function store(...pieces: Uint8Array[]): Promise<StoredImage> {
  const writer = new SetWriter(shelf);
  const image = writer.image(pieces.reduce((sum, { length }) => sum + length, 0));
  await image.take(streamOf(...pieces));
  const stored = await image.finish();
  await writer.seal();
  return stored;
}

async function* streamOf(...pieces: Uint8Array[]): AsyncGenerator<Uint8Array> {
  for (const piece of pieces) yield await Promise.resolve(piece);
}

const text = (value: string) => Buffer.from(value);
const back = async (image: StoredImage) => {
  const parts: Uint8Array[] = [];
  for await (const part of readImage(shelf, { partition: 'test', ...image })) parts.push(part);
  return Buffer.concat(parts);
};

describe('digests of an image', () => {
  // FIPS 180-4's published examples (NIST, "Secure Hashing: SHA-256 examples").
  it.each([
    ['abc', 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad'],
    [
      'abcdbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq',
      '248d6a61d20638b8e5c026930c3e6039a33ce45964ff2167f6ecedd419db06c1',
    ],
  ])('%s', async (message, sha256) => {
    const image = await store(text(message));
    expect(image.sha256.toString('hex')).toBe(sha256);
  });

  it('a million times "a", cut anyhow', async () => {
    const a = Buffer.alloc(1_000_000, 'a');
    const image = await store(a.subarray(0, 1), a.subarray(1, 262_145), a.subarray(262_145));
    expect(image.sha256.toString('hex')).toBe(
      'cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0',
    );
  });

  it('agree with sha256sum', async () => {
    const bytes = Buffer.concat([
      filler('program', 5, 3_000_001),
      Buffer.alloc(2_000_000),
      filler('records', 6, 700_000),
    ]);
    const path = join(folder.path, 'bytes');
    writeFileSync(path, bytes);
    const image = await store(bytes);
    expect(execFileSync('sha256sum', [path], { encoding: 'utf8' })).toMatch(image.sha256.toString('hex'));
    expect((await back(image)).equals(bytes)).toBe(true);
  });
});

describe('the shelf', () => {
  it('lets anyone recover an image with zstd and b3sum alone', async () => {
    const bytes = Buffer.concat([
      filler('records', 8, 600_000),
      Buffer.alloc(700_000),
      filler('program', 9, 400_000),
    ]);
    const image = await store(bytes);
    const out = join(folder.path, 'recovered');
    mkdirSync(out);
    // What the packs hold, by the record headers as docs/shelf-format.md lists them.
    const chunks = new Map<string, Buffer>();
    for (const name of readdirSync(shelf.packFolder)) {
      const pack = readFileSync(join(shelf.packFolder, name));
      const end = pack.length - 56;
      expect(pack.toString('latin1', end, end + 8)).toBe('KLsealed');
      for (let at = 0; at < end;) {
        expect(pack.toString('latin1', at, at + 4)).toBe('KLck');
        const stored = pack.readUInt32LE(at + 8);
        const digest = pack.toString('hex', at + 16, at + 48);
        const bytesStored = pack.subarray(at + 48, at + 48 + stored);
        chunks.set(
          digest,
          pack[at + 4] === 1 ? execFileSync('zstd', ['-dc'], { input: bytesStored }) : bytesStored,
        );
        at += 48 + stored;
      }
    }
    const list = unpackChunkList(image.chunks);
    const recovered = Buffer.concat(
      list.map((digest, i) =>
        digest === '0' ? Buffer.alloc(Math.min(262_144, bytes.length - i * 262_144)) : chunks.get(digest)!,
      ),
    );
    expect(recovered.equals(bytes)).toBe(true);
    expect(list).toContain('0');
    const [first] = list;
    const b3 = execFileSync('b3sum', { input: chunks.get(first!)!, encoding: 'utf8' });
    expect(b3.slice(0, 64)).toBe(first);
  });

  it('stores the same bytes once, zeros not at all, and what does not compress as it is', async () => {
    const before = (await shelf.space(), readdirSync(shelf.packFolder).length);
    const bytes = filler('program', 77, 1_048_576);
    await store(bytes, bytes, Buffer.alloc(5_000_000), bytes);
    const packs = readdirSync(shelf.packFolder);
    expect(packs).toHaveLength(before + 1);
    const records = packs.flatMap((name) => recordsOf(join(shelf.packFolder, name)));
    const digests = records.map(({ digest }) => digest.toString('hex'));
    expect(new Set(digests).size).toBe(digests.length);
    await store(bytes);
    expect(readdirSync(shelf.packFolder)).toHaveLength(before + 1);
  });

  it('counts nothing of an image whose stream broke off', async () => {
    const before = readdirSync(shelf.packFolder);
    const writer = new SetWriter(shelf);
    const broken = (async function* () {
      yield await Promise.resolve(filler('program', 99, 3_000_000));
      throw new Error('the cable is out');
    })();
    await expect(writer.image(3_000_000).take(broken)).rejects.toThrow('the cable is out');
    await writer.discard();
    expect(readdirSync(shelf.packFolder)).toEqual(before);
  });

  it('says which pack and place is damaged', async () => {
    const image = await store(filler('records', 123, 500_000));
    const row = shelf.find(image.chunks.subarray(0, 32))!;
    const path = join(shelf.packFolder, shelf.packName(row.packId));
    const pack = readFileSync(path);
    pack[row.offset + 40]! ^= 1;
    writeFileSync(path, pack);
    const error = await back(image).catch((caught: unknown) => caught);
    expect(error).toBeInstanceOf(DamagedImage);
    expect((error as Error).message).toMatch(
      new RegExp(`bytes 0 to 262144: the chunk in ${shelf.packName(row.packId)} at ${row.offset}`),
    );
  });

  it('refuses packs that were not sealed or whose headers were changed', async () => {
    const [name] = readdirSync(shelf.packFolder);
    const pack = readFileSync(join(shelf.packFolder, name!));
    const copy = join(folder.path, 'copy.pack');
    writeFileSync(copy, pack.subarray(0, pack.length - 1));
    expect(() => recordsOf(copy)).toThrow(
      expect.objectContaining({ name: 'FormatError', field: 'trailer' }) as Error,
    );
    const changed = Buffer.from(pack);
    changed[20]! ^= 1;
    writeFileSync(copy, changed);
    expect(() => recordsOf(copy)).toThrow(/do not match their digest/);
    writeFileSync(copy, 'short');
    expect(() => recordsOf(copy)).toThrow(/too short/);
  });
});
