// Phones whose flash cannot be read at the beginning of a partition, or where the partition table lies.
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import {
  addressesOfAll,
  isIn,
  keepSet,
  openOn,
  serial as knot3,
  startKnot3,
  testFolder,
  until,
} from '../../testing/bench.ts';
import type { KeenLarder } from '../keen-larder.ts';

const reed2 = 'MR2Q-44107';
const pageBytes = 4096;
const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
const phoneOf = (serial: string) => bench.phones.find(({ identity }) => identity.serial === serial)!;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), [reed2]);
  app = await openOn(join(folder.path, 'home'), undefined, { addresses: addressesOfAll(bench) });
  void phoneOf(knot3).start('recovery');
  void phoneOf(reed2).start('loader');
  await until('both', () => isIn(app, 'recovery')() && isIn(app, 'loader')());
});
afterEach(() => bench.phones.forEach((phone) => phone.mendAll()));
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

describe.each([
  ['adb', knot3, 'boot'],
  ['the loader', reed2, 'boot'],
])('over %s', (_, serial, kept) => {
  const wornAt = (offset: number) => phoneOf(serial).flash.faults.set('worn', [{ offset, bytes: pageBytes }]);
  const listed = () => {
    app.bench.forgetPartitions(serial);
    return app.bench.partitions(serial);
  };

  it('a partition with an unreadable first page is one of unknown content, whichever it is', async () => {
    const sound = await listed();
    for (const { name, startBytes } of phoneOf(serial).flash.list()) {
      wornAt(startBytes);
      const found = await listed();
      expect(found.map((each) => each.name)).toEqual(sound.map((each) => each.name));
      const bad = found.find((each) => each.name === name)!;
      expect(bad, name).toMatchObject({
        finding: expect.stringMatching(/cannot read its beginning/) as string,
      });
      expect(bad.fileSystem, name).toBeUndefined();
      expect(
        found.filter(({ finding }) => finding),
        name,
      ).toHaveLength(1);
    }
  });

  it('the places of the partition table may be unreadable', async () => {
    const sound = (await listed()).map(({ name }) => name);
    for (const offset of [0, phoneOf(serial).flash.bytes - pageBytes]) {
      wornAt(offset);
      expect((await listed()).map(({ name }) => name)).toEqual(sound);
    }
  });

  it('the sheet and the imaging of the others go on', async () => {
    const { startBytes } = phoneOf(serial)
      .flash.list()
      .find(({ name }) => name === 'logo')!;
    wornAt(startBytes);
    await listed();
    const sheet = await app.imagingSheets.imaging(serial, { picked: ['logo'], label: 'worn' });
    expect(sheet.checks.map(({ id }) => id)).toContain('bad-flash');
    await keepSet(app, `worn, over ${serial}`, [kept], { phone: serial });
  });
});
