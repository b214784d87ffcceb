// Where exports may go, and the list of those that were made.
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openOn, testFolder } from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startExporting, startVerifyingExport } from '../../runs/files/exporting.ts';
import { LarderBench } from '../../../testing/larder.ts';
import { drivesIn } from './export-places.ts';

const folder = testFolder();
const at = (name: string) => join(folder.path, name);
const home = at('home');
let app: KeenLarder;
let setId: string;
beforeAll(async () => {
  mkdirSync(at('other disk'));
  app = await openOn(home, undefined, { exportFolders: [at('other disk'), at('not there')] });
  const bench = new LarderBench({ path: home, remove: () => undefined });
  const open = { larder: app.larder, shelf: app.larder.shelf } as Parameters<LarderBench['keep']>[0];
  setId = await bench.keep(open, 'Before the update', {
    boot: Buffer.alloc(600_000, 7),
    efs: Buffer.alloc(5000, 1),
  });
  await bench.workers.close();
});
afterAll(async () => {
  await app.close();
  folder.remove();
});

it('finds drives by the kernel’s list of mounts', async () => {
  writeFileSync(
    at('mounts'),
    [
      '/dev/sda1 / ext4 rw 0 0',
      '/dev/sdb1 /run/media/bench/Blue\\040stick vfat rw 0 0',
      '/dev/sdc1 /media/bench/box ext4 rw 0 0',
      '/dev/sdc1 /media/bench/box ext4 rw 0 0',
      '/dev/sdd1 /mnt/tray ext4 rw 0 0',
      'tmpfs /run tmpfs rw 0 0',
    ].join('\n'),
  );
  expect(await drivesIn(at('mounts'))).toEqual([
    '/run/media/bench/Blue stick',
    '/media/bench/box',
    '/mnt/tray',
  ]);
  expect(await drivesIn(at('no such list'))).toEqual([]);
});

it('goes where it may, is read again, and is removed without what others put beside it', async () => {
  const { places } = await app.exports.view();
  const kinds = places.filter(({ kind }) => kind !== 'drive').map(({ path, kind }) => [path, kind]);
  expect(kinds).toEqual([
    [join(home, 'exports'), 'home'],
    [at('other disk'), 'folder'],
  ]);
  await expect(app.exports.requireOtherDisk(at('other disk'))).rejects.toThrow(/both would be lost/);
  const request = { form: 'raw', packing: 'none' } as const;
  for (const place of ['/', at('not there'), dirname(home)])
    await expect(startExporting(app, setId, { ...request, place })).rejects.toThrow(/cannot go to/);

  const run = await startExporting(app, setId, { ...request, place: at('other disk') });
  expect(await app.engine.ended(run.id)).toMatchObject({ state: 'done' });
  const path = join(at('other disk'), 'Before the update');
  const [made] = (await app.exports.view()).exports;
  const files = ['CONTENTS.json', 'CONTENTS.txt', 'MD5SUMS', 'SHA256SUMS', 'boot.img', 'efs.img'];
  expect(readdirSync(path).sort()).toEqual(files);
  expect(made).toMatchObject({
    path,
    label: 'Before the update',
    fileCount: 6,
    isSealed: false,
    isThere: true,
  });

  const verified = await app.engine.ended(startVerifyingExport(app, made!.id).id);
  expect(verified).toMatchObject({
    state: 'done',
    outcome: `All 6 files in ${path} are as they were written.`,
  });
  const image = readFileSync(join(path, 'efs.img'));
  image[9]! ^= 1;
  writeFileSync(join(path, 'efs.img'), image);
  rmSync(join(path, 'MD5SUMS'));
  const changed = await app.engine.ended(startVerifyingExport(app, made!.id).id);
  expect(changed.state).toBe('failed');
  expect(changed.outcome).toMatch(/^efs\.img and MD5SUMS in .* are not as written\. Export the set again/);

  writeFileSync(join(path, 'notes.txt'), 'somebody else’s');
  await app.exports.remove(made!.id);
  expect(readdirSync(path)).toEqual(['notes.txt']);
  expect((await app.exports.view()).exports).toEqual([]);
  expect(() => startVerifyingExport(app, made!.id)).toThrow(/no such export/);
});
