// A home as an earlier program left it, whose catalogue is of version 8: made by that program from a simulated phone, and
// never touched since. It opens, everything in it is there, and it goes on being used.
import { createHash } from 'node:crypto';
import { mkdirSync, readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import Sqlite from 'better-sqlite3';
import { keepSet, openOn, serial, startKnot3, testFolder, toRecovery } from '../testing/bench.ts';
import { unpackFixture } from '../testing/folder.ts';
import { wholeSets } from '../testing/shelf-checker.ts';
import { newestVersion } from './database/open.ts';
import type { KeenLarder } from './keen-larder.ts';
import { readImage } from './shelf/image-reader.ts';

const folder = testFolder();
afterAll(() => folder.remove());

/** What that program said of it. */
const sets = {
  'For the bin': ['devinfo'],
  'Before the flash, again': ['frp', 'misc', 'sbl1'],
  'Before the flash': ['devinfo', 'frp', 'misc'],
};
const digests: Readonly<Record<string, string>> = {
  devinfo: '66eebe4af4573283d0592ab0b953068ea098251b656e38a599c5429075582f05',
  frp: '770ba050cbaf24a6411938c0223f4acc6500041d879290f77bcb8d5aaf3310ea',
  misc: '30e14955ebf1352266dc2ff8067e68104607e750abb9d3b36582b8af909fcb58',
  sbl1: '9fdedbf5988508d7bcb461556eb9cbbc0f04ac9cc5e6f46cf93a23fa695e5661',
};

function unpacked(name: string): string {
  const home = join(folder.path, name);
  mkdirSync(home);
  unpackFixture('home-of-catalogue-8', home);
  return home;
}

async function requireAll(app: KeenLarder): Promise<void> {
  const found = Object.fromEntries(app.larder.list().map((set) => [set.label, set]));
  expect(Object.keys(found).sort()).toEqual(Object.keys(sets).sort());
  expect(found['Before the flash']).toMatchObject({
    note: 'Fog signal',
    complete: true,
    nickname: 'Ringing hut',
  });
  for (const [label, partitions] of Object.entries(sets)) {
    const { images } = app.larder.detail(found[label]!.id);
    expect(images.map(({ partition }) => partition).sort()).toEqual(partitions);
    for (const { partition } of images) {
      const hash = createHash('sha256');
      for await (const part of readImage(app.larder.shelf, app.larder.image(found[label]!.id, partition)))
        hash.update(part);
      expect([label, partition, hash.digest('hex')]).toEqual([label, partition, digests[partition]]);
    }
  }
  expect(app.larder.copies.of(serial).map((copy) => copy.app.package)).toEqual(['example.tidebook']);
  expect(app.larder.records.of(serial).map((copy) => copy.records.kind)).toEqual(['contacts']);
}

it('opens as it was, migrated, with a copy of its catalogue from before', async () => {
  const home = unpacked('opened');
  const app = await openOn(home, undefined);
  await requireAll(app);
  const { doubts, absence } = await app.larder.shelfView();
  expect({ doubts, absence }).toEqual({ doubts: [], absence: undefined });
  expect(app.engine.list()).toHaveLength(5);
  expect(app.larder.list().find(({ label }) => label === 'For the bin')?.binnedAt).toBeDefined();
  await app.close();

  const versionOf = (path: string) => {
    const database = new Sqlite(path, { readonly: true });
    try {
      return database.pragma('user_version', { simple: true });
    } finally {
      database.close();
    }
  };
  expect(versionOf(join(home, 'catalogue.sqlite'))).toBe(newestVersion());
  const copies = join(home, 'shelf', 'catalogue');
  expect(readdirSync(copies).map((name) => versionOf(join(copies, name)))).toContain(8);
  expect([...wholeSets(join(home, 'shelf')).values()]).toEqual([true, true, true]);

  const again = await openOn(home, undefined);
  await requireAll(again);
  await again.close();
});

it('is made anew from its shelf when its catalogue is lost', async () => {
  const home = unpacked('rebuilt');
  for (const name of ['', '-wal', '-shm']) rmSync(join(home, `catalogue.sqlite${name}`), { force: true });
  const app = await openOn(home, undefined);
  await app.larder.rebuild();
  const labels = app.larder.list().map(({ label }) => label);
  expect(labels).toEqual(expect.arrayContaining(['Before the flash', 'Before the flash, again']));
  expect(app.larder.copies.of(serial).map((copy) => copy.app.package)).toEqual(['example.tidebook']);
  await app.close();
});

it('is kept on with: what lies there already is not stored again', async () => {
  const home = unpacked('used');
  const bench = await startKnot3(join(folder.path, 'phones'));
  const app = await openOn(home, bench);
  await toRecovery(app, bench.phone);
  const id = await keepSet(app, 'Once more', ['frp', 'sbl1']);
  const { addedBytes, images } = app.larder.detail(id);
  expect(Object.fromEntries(images.map(({ partition, sha256 }) => [partition, sha256]))).toEqual({
    frp: digests['frp'],
    sbl1: digests['sbl1'],
  });
  expect(addedBytes).toBe(0);
  await app.close();
  await bench.close();
});
