import { join } from 'node:path';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { afterAll, expect, it } from 'vitest';
import { addressesOfAll, openOn, startPhones, testFolder, until } from '../../../testing/bench.ts';
import { archivedEntries } from '../../formats/tar.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { startKeepingRecords } from '../records/keeping-records.ts';
import { recordsOnPhone } from '../records/records-on-phone.ts';
import { startImaging } from './imaging.ts';

const folder = testFolder();
afterAll(folder.remove);
const serial = 'MS10-70055';

it('keeps photos and downloads of a phone that gives no root, and nothing else of it', async () => {
  const bench = await startPhones(join(folder.path, 'phones'), [serial]);
  const addresses = addressesOfAll(bench);
  const app = await openOn(join(folder.path, 'home'), undefined, { addresses });
  try {
    await until('the phone', () => app.bench.linkIn(serial, 'system') !== undefined);
    expect(await app.bench.partitions(serial)).toMatchObject([
      { name: 'shared-storage', archive: true, mount: { at: '/sdcard' } },
    ]);
    const plan = (picked: string[]) => app.imagingSheets.imaging(serial, { picked, label: 'as it is' });
    const severity = async (picked: string[]) =>
      (await plan(picked)).checks.find(({ id }) => id === 'mode-cannot-read')?.severity;
    expect(await severity([])).toBe('note');
    expect(await severity(['shared-storage'])).toBeUndefined();
    const request = {
      picked: ['shared-storage'],
      label: 'as it is',
      confirmed: ['live-file-system', 'battery'],
    };
    const run = await app.engine.ended((await startImaging(app, serial, request)).id);
    expect(run.state, run.outcome).toBe('done');
    const image = app.larder.image(run.setId!, 'shared-storage');
    const kept = await archivedEntries(readImage(app.larder.shelf, image));
    const device = bench.phones[0]!.flash.partition('userdata')!;
    const fs = await Ext4.open(device);
    const names: string[] = [];
    const walk = async (path: string) => {
      for (const { name, inode } of await fs.list((await fs.find(`/media/0${path}`))!)) {
        names.push(`.${path}/${name}`);
        if ((await fs.inode(inode)).type === 'directory') await walk(`${path}/${name}`);
      }
    };
    await walk('');
    const plain = [...kept.keys()].map((path) => path.replace(/(.)\/$/, '$1')).filter((path) => path !== '.');
    expect(plain.sort()).toEqual(names.sort());
    expect(names.length).toBeGreaterThan(3);
    // Records that its providers tell are kept to be read.
    const there = await recordsOnPhone(app, serial);
    expect(there.map(({ kind }) => kind)).toEqual(['contacts', 'messages', 'calls', 'calendar']);
    const told = there
      .filter(({ missing, count }) => missing !== undefined && (count ?? 0) > 0)
      .map(({ kind }) => kind);
    expect(told.length).toBeGreaterThan(0);
    const records = await startKeepingRecords(app, serial, { kinds: told, confirmed: ['battery'] });
    const recordsRun = await app.engine.ended(records.id);
    expect(recordsRun.state, recordsRun.outcome).toBe('done');
    const copies = app.larder.records.list();
    expect(copies.map(({ parts }) => parts.map(({ kind }) => kind))).toEqual(told.map(() => ['readable']));
    // Some go onto such a phone as a file that somebody accepts; the others need root.
    for (const { id, records: kept } of copies) {
      const back = await app.recordSheets.putting(serial, { copies: [id] });
      const stop = back.checks.find((check) => check.id === 'system-record-version')?.sentence;
      if (kept.kind === 'contacts' || kept.kind === 'calendar') {
        expect(stop).toBeUndefined();
        expect(back.steps.map(({ kind }) => kind)).toEqual(['hand-records']);
      } else expect(stop).toMatch(/need root: without it a phone takes contacts and calendars alone/);
    }
    // Nobody asks such a phone for a partition.
    await expect(startImaging(app, serial, { ...request, picked: ['userdata'] })).rejects.toThrow();
  } finally {
    await app.close();
    await bench.close();
  }
});
