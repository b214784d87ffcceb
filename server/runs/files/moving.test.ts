// Two copies of the larder at once, and sets that are moved into one of them: nothing goes here that is not whole there.
import { closeSync, openSync, readdirSync, readSync, renameSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import { startBucket, type StandInBucket } from '@keen-larder/standin/bucket.ts';
import { keepSet, openOn, serial, startKnot3, testFolder, toRecovery } from '../../../testing/bench.ts';
import { passphrase } from '../../../testing/offsite/offsite-bench.ts';
import { openDatabase } from '../../database/open.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { startCopyingOffSite, startFetching } from './copying-off-site.ts';
import { startMoving } from './moving.ts';

const folder = testFolder();
const home = join(folder.path, 'home');
const disk = join(folder.path, 'disk');
const benchName = 'Front bench';
let bucket: StandInBucket;
let app: KeenLarder;
let [first, second] = ['', ''];
let logo: Buffer;

beforeAll(async () => {
  bucket = await startBucket(join(folder.path, 'bucket'));
  const phones = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(home, phones);
  try {
    await toRecovery(app, phones.phone);
    first = await keepSet(app, 'First', ['logo']);
    second = await keepSet(app, 'Second', ['boot', 'misc']);
    logo = await imageOf(first, 'logo');
    await app.offsite.setUp({ folder: disk, passphrase, benchName });
    await app.offsite.setUp({ place: bucket.place, passphrase, benchName });
  } finally {
    await app.close();
    await phones.close();
  }
  app = await openOn(home, undefined);
});
afterAll(async () => {
  await app.close();
  await bucket.close();
  folder.remove();
});

async function imageOf(setId: string, partition: string): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of readImage(app.larder.shelf, app.larder.image(setId, partition)))
    parts.push(Buffer.from(part));
  return Buffer.concat(parts);
}
const copied = async (copy: OffsiteCopy) =>
  (await app.engine.ended((await startCopyingOffSite(app, copy)).id)).outcome;
const moved = async (copy: OffsiteCopy, ...ids: string[]) =>
  app.engine.ended((await startMoving(app, copy, ids)).id);
const standing = () =>
  app.offsite.all.map((copy) => {
    const { state, offsiteCount, keptCount, alone } = copy.view();
    return [copy.copy, state, `${offsiteCount} of ${keptCount}`, ...alone.map(({ label }) => label)];
  });
/** Every pack on the disk, with one byte of it changed; the same again puts it right. */
function spoilPacks(): void {
  const [within] = readdirSync(disk);
  const packs = join(disk, within!, 'packs');
  for (const name of readdirSync(packs)) {
    const file = openSync(join(packs, name), 'r+');
    const byte = Buffer.alloc(1);
    readSync(file, byte, 0, 1, 5000);
    writeSync(file, Buffer.from([byte[0]! ^ 1]), 0, 1, 5000);
    closeSync(file);
  }
}

it('there are two copies at once, each with its own passphrase to open and all of the larder', async () => {
  expect(standing().map(([, state]) => state)).toEqual(['locked', 'locked']);
  await expect(startMoving(app, 'disk', [first])).rejects.toMatchObject({ status: 409 });
  for (const copy of app.offsite.all) await copy.unlock(passphrase);
  expect(await copied('disk')).toMatch(/^2 sets and copies sent, /);
  expect(standing()).toEqual([
    ['bucket', 'open', '0 of 2'],
    ['disk', 'open', '2 of 2'],
  ]);
  expect(await copied('bucket')).toMatch(/^2 sets and copies sent, /);
  expect(await copied('bucket')).toBe('The off-site copy is as the larder is.');
});

it('a set stays whose copy does not read back as it is, or that is pinned or in the bin', async () => {
  spoilPacks();
  const run = await moved('disk', first);
  expect(run).toMatchObject({ state: 'failed', outcome: expect.stringMatching(/^A chunk in|damaged|seal/) });
  expect(app.larder.list().map(({ label }) => label)).toContain('First');
  spoilPacks();
  await app.larder.change(first, { pinned: true });
  await expect(startMoving(app, 'disk', [first])).rejects.toThrow('“First” stays. It is pinned');
  await app.larder.change(first, { pinned: false });
  await app.larder.change(first, { binned: true });
  await expect(startMoving(app, 'disk', [first])).rejects.toThrow('“First” stays. It lies in the bin');
  await app.larder.change(first, { binned: false });
});

it('a set that was moved lies there alone, through whatever is copied afterwards, and comes back as it was', async () => {
  expect(await moved('disk', first)).toMatchObject({
    state: 'done',
    outcome: expect.stringMatching(/^“First” lies in the copy on the second disk alone\./) as string,
  });
  expect(app.larder.list().map(({ label }) => label)).toEqual(['Second']);
  await app.larder.bin.empty(0, true);
  // The bucket had it as well, and keeps it.
  const both = [
    ['bucket', 'open', '1 of 1', 'First'],
    ['disk', 'open', '1 of 1', 'First'],
  ];
  expect(standing()).toEqual(both);
  for (const copy of ['bucket', 'disk'] as const) await copied(copy);
  expect(standing()).toEqual(both);
  expect(await app.offsite.unfetchedOf(serial)).toHaveLength(2);
  expect(() => app.offsite.disk.turnOff()).toThrow(/A set lies in the folder .* alone\. Fetch it first/);

  const [there] = app.offsite.disk.view().alone;
  expect(there).toMatchObject({ id: first, serial, nickname: 'Ringing hut', bytes: logo.length });
  const { bench } = there!;
  const run = await startFetching(app, 'disk', [{ bench, kind: 'sets', id: first }]);
  expect((await app.engine.ended(run.id)).outcome).toBe('It is in the larder.');
  expect((await imageOf(first, 'logo')).equals(logo)).toBe(true);
  expect(standing().map((each) => each.length)).toEqual([3, 3]);
});

it('what is given up goes from the copy, and nothing else', async () => {
  await moved('disk', first, second);
  for (const copy of app.offsite.all) copy.giveUp(second);
  expect(() => app.offsite.disk.giveUp(second)).toThrow('No such set lies there alone.');
  for (const copy of ['bucket', 'disk'] as const) {
    await copied(copy);
    expect((await app.offsite.of(copy).elsewhere()).map(({ id }) => id)).toEqual([first]);
  }
});

it('one copy, of the time when there could be one alone, is known for what it is', async () => {
  await app.close();
  renameSync(join(home, 'second-disk.json'), join(home, 'offsite.json'));
  const db = openDatabase(join(home, 'catalogue.sqlite'));
  db.exec(`DELETE FROM offsitePacks WHERE copy = 'bucket'; DELETE FROM offsiteKept; DELETE FROM offsiteAlone;
    UPDATE offsitePacks SET copy = 'bucket';
    INSERT INTO offsiteKept VALUES ('bucket', 'sets', 'a', 'then', 1, 1)`);
  db.close();
  app = await openOn(home, undefined);
  expect(app.offsite.views()).toMatchObject({
    bucket: { state: 'off', since: {} },
    disk: { state: 'locked', since: { a: 1 } },
  });
  await app.offsite.disk.unlock(passphrase);
  expect((await app.offsite.disk.elsewhere()).map(({ name }) => name)).toEqual(['“First”']);
});
