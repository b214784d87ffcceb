// A partition that has another size than the phone told when the run was planned: the run ends, soon and with words.
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, it, vi } from 'vitest';
import type { PartitionAccess } from '../../links/phone-link.ts';
import { openOn, serial, startKnot3, testFolder, toRecovery } from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startImaging } from './imaging.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await toRecovery(app, bench.phone);
});
afterEach(() => void vi.restoreAllMocks());
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

/** As if the partition had so many bytes: reading ends there, without an error, as `dd` does at the end of a device. */
function endingAt(bytes: number): void {
  const access = app.bench.access(serial);
  const read = access.read.bind(access);
  vi.spyOn(access, 'read').mockImplementation((name, ranges, signal) =>
    read(
      name,
      ranges.map(({ offset, bytes: length }) => ({
        offset,
        bytes: Math.max(0, Math.min(length, bytes - offset)),
      })),
      signal,
    ),
  );
}
async function* withMore(stream: ReturnType<PartitionAccess['read']>) {
  yield* stream;
  yield new Uint8Array(4096);
}

async function imaged(partition: string) {
  const request = { picked: [partition], label: `of ${partition}`, confirmed: ['identity-left-out'] };
  return app.engine.ended((await startImaging(app, serial, request)).id);
}

it.each([0, 5 << 20])('one that ends after %i bytes', async (bytes) => {
  endingAt(bytes);
  const run = await imaged('boot');
  expect(run.state).toBe('failed');
  expect(run.outcome).toMatch(/^boot is not as the phone told it: at .* bytes and reported no error\./);
  expect(app.larder.list()).toEqual([]);
});

it('one that gives more', async () => {
  const access = app.bench.access(serial);
  const read = access.read.bind(access);
  vi.spyOn(access, 'read').mockImplementation((name, ranges, signal) => withMore(read(name, ranges, signal)));
  const run = await imaged('boot');
  expect(run.state).toBe('failed');
  expect(run.outcome).toMatch(/^boot is not as the phone told it: it gives more than the 16 MiB/);
});
