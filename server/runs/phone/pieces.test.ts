// Only what differs crosses the cable, both ways, on a simulated phone in recovery.
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { afterAll, beforeAll, expect, it } from 'vitest';
import {
  isIn,
  keepSet,
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../../testing/bench.ts';
import { coarseBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import { coarseDigests } from './pieces.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import type { Digest } from '../../links/phone-link.ts';
import { readBlocks } from '../../shelf/image-reader.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import { startRestoring } from '../restoring/restoring.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
let first: string;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await toRecovery(app, bench.phone);
  first = await keepSet(app, 'first', ['system', 'modem']);
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const imageOf = (setId: string) =>
  app.larder.detail(setId).images.find(({ partition }) => partition === 'system')!;
const onPhone = async () =>
  (await app.bench.access(serial).digest('system', wholeOf(imageOf(first).bytes))).hex;
const logOf = (runId: string) =>
  app.engine
    .logOf(runId)
    .map(({ text }) => text)
    .join('\n');
const { signal } = new AbortController();
/** As the phone tells it now. */
async function firstPiece(): Promise<Digest> {
  const whole = { offset: 0, bytes: imageOf(first).bytes };
  const told = await coarseDigests(app.bench.access(serial), 'system', whole, signal);
  for await (const each of told!) return each;
  throw new Error('It tells none.');
}
/** Of a piece of the first image. */
async function keptDigest(by: 'sha256' | 'md5', offset: number, bytes: number): Promise<Digest> {
  const { shelf } = app.larder;
  const image = app.larder.image(first, 'system');
  const digests = shelf.workers.digestStream(by);
  const piece = { offset, bytes: Math.min(bytes, image.bytes - offset) };
  for await (const block of readBlocks(shelf, image, piece)) {
    await digests.update(block);
    block.release();
  }
  return { by, hex: (await digests.finish()).toString('hex') };
}
/** Three places in three mebibytes, two of which touch. */
async function change(): Promise<void> {
  const system = bench.phone.flash.partition('system')!;
  for (const at of [5 << 20, (6 << 20) + 4096, (50 << 20) + 1])
    await system.write(at, Buffer.from([at >> 20, 1, 2]));
}
async function putBack(writeAll: boolean): Promise<string> {
  const started = putting(first, ['system'], { restartAfter: false, ...(writeAll && { writeAll }) });
  const { id } = await startRestoring(app, serial, started);
  expect(await app.engine.ended(id)).toMatchObject({ state: 'done' });
  await until('the phone', isIn(app, 'recovery'));
  return logOf(id);
}

it('keeps again what differs', async () => {
  await change();
  const again = await keepSet(app, 'again', ['system']);
  const run = app.engine.list().find(({ setId }) => setId === again)!;
  expect(logOf(run.id)).toMatch(/system: 93 MiB are as in “first”; 3 MiB were read\./);
  expect(run.doneBytes).toBe(3 << 20);
  expect(imageOf(again).sha256).toBe(await onPhone());
  expect(imageOf(again).sha256).not.toBe(imageOf(first).sha256);
  const { expectedMs } = await app.imagingSheets.imaging(serial, { picked: ['system'], label: 'once more' });
  const [took] = [run.endedAt! - run.startedAt];
  expect(expectedMs).toBeGreaterThan(0);
  expect(expectedMs).toBeLessThanOrEqual(took);
});

it('knows digests of pieces of what was kept, and is not misled by wrong ones', async () => {
  const image = app.larder.image(first, 'system');
  const { by, hex } = app.larder.pieces.of(image)!;
  for (const [i, each] of hex.entries())
    if (each !== undefined) expect((await keptDigest(by, i * coarseBytes, coarseBytes)).hex).toBe(each);
  // The newest image of it seems to have at its beginning what the phone has there since.
  const newest = app.larder.newestWhole(serial, 'system')!.image;
  // Kept again: the phone told all of them.
  expect(app.larder.pieces.of(newest)!.hex.map((each) => each !== undefined)).toEqual(Array(6).fill(true));
  await bench.phone.flash.partition('system')!.write((5 << 20) + 8192, Buffer.from([9, 9, 9]));
  const now = await firstPiece();
  app.larder.pieces.remember(newest.sha256, { by: now.by, hex: [now.hex] });
  const misled = await keepSet(app, 'misled', ['system']);
  expect(app.larder.image(misled, 'system').sha256.toString('hex')).toBe(await onPhone());
  expect(imageOf(misled).unsettled).toBeUndefined();
});

it('puts back what differs, and on demand all of it', async () => {
  expect(await putBack(false)).toMatch(/system: 93 MiB were as kept already; 3 MiB were written\./);
  expect(await onPhone()).toBe(imageOf(first).sha256);
  await change();
  expect(await putBack(true)).not.toMatch(/as kept already/);
  expect(await onPhone()).toBe(imageOf(first).sha256);
});

it('writes all of it when what the phone told of its pieces was not so', async () => {
  await change();
  const access = app.bench.access(serial);
  const kept = imageOf(first);
  // It tells of every piece that it is as it was kept.
  access.digestPieces = (_, range, pieceBytes) => Promise.resolve(asKept(range, pieceBytes));
  async function* asKept({ offset, bytes }: ByteRange, pieceBytes: number): AsyncGenerator<Digest> {
    for (let at = 0; at < bytes; at += pieceBytes) yield await keptDigest('sha256', offset + at, pieceBytes);
  }
  const said = await putBack(false);
  expect(said).toMatch(/96 MiB were as kept already; 0 B were written\./);
  expect(said).toMatch(/another digest .* It is written again\./);
  expect(await onPhone()).toBe(kept.sha256);
});

it('an image whose chunks are not as its manifest lists them is digested whole before it is put back', async () => {
  const { partition, chunks } = app.larder.image(first, 'modem');
  const swapped = Buffer.concat([chunks.subarray(32, 64), chunks.subarray(0, 32), chunks.subarray(64)]);
  expect(swapped.equals(chunks)).toBe(false);
  const list = (these: Buffer) =>
    database
      .prepare('UPDATE images SET chunks = ? WHERE setId = ? AND partition = ?')
      .run(these, first, partition);
  const database = new Database(join(folder.path, 'home', 'catalogue.sqlite'));
  try {
    list(swapped);
    const { id } = await startRestoring(app, serial, putting(first, ['modem'], { restartAfter: false }));
    const run = await app.engine.ended(id);
    expect(run).toMatchObject({ state: 'failed' });
    expect(run.outcome).toMatch(
      /modem: the stored bytes have the SHA-256 .* Nothing was written\. Use another set\./,
    );
  } finally {
    list(chunks);
    database.close();
  }
});

it('what is known of pieces goes with the last image that has them', () => {
  const { sha256 } = app.larder.image(first, 'system');
  const database = new Database(join(folder.path, 'home', 'catalogue.sqlite'));
  try {
    database.pragma('foreign_keys = ON');
    expect(app.larder.pieces.of({ sha256 })).toBeDefined();
    const others = database.prepare('SELECT setId FROM images WHERE sha256 = ?').all(sha256);
    for (const { setId } of others as { setId: string }[])
      database.prepare('DELETE FROM sets WHERE id = ?').run(setId);
    expect(app.larder.pieces.of({ sha256 })).toBeUndefined();
  } finally {
    database.close();
  }
});
