// Only what differs crosses the cable, both ways, on a simulated phone in recovery.
import { join } from 'node:path';
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
    for (let at = 0; at < bytes; at += pieceBytes) yield await keptDigest(offset + at, pieceBytes);
  }
  const keptDigest = async (offset: number, bytes: number): Promise<Digest> => {
    const digests = app.larder.shelf.workers.digestStream('sha256');
    const piece = { offset, bytes: Math.min(bytes, kept.bytes - offset) };
    for await (const block of readBlocks(app.larder.shelf, app.larder.image(first, 'system'), piece)) {
      await digests.update(block);
      block.release();
    }
    return { by: 'sha256', hex: (await digests.finish()).toString('hex') };
  };
  const said = await putBack(false);
  expect(said).toMatch(/96 MiB were as kept already; 0 B were written\./);
  expect(said).toMatch(/another digest .* It is written again\./);
  expect(await onPhone()).toBe(kept.sha256);
});
