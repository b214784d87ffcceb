import type { RestoringStart } from '@keen-larder/contract/requests/restoring.ts';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readGpt } from '@keen-larder/core/formats/gpt/gpt.ts';
import { brokenBuilds } from '@keen-larder/standin/scenario/broken-builds.ts';
import { useForADay } from '@keen-larder/standin/scenario/daily-use.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import {
  impatient,
  isIn,
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { rowsOf } from '../../larder/set-rows.ts';
import { inNameOf } from '../../people/acting.ts';
import { parseManifest } from '../../shelf/manifest.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import { startComparing } from './comparing.ts';
import { startExporting } from '../files/exporting.ts';
import { startImaging } from './imaging.ts';
import { startRestoring } from '../restoring/restoring.ts';
import { startVerifying } from '../files/verifying.ts';
import { isLong } from '../../../testing/effort.ts';

const folder = testFolder();
let phone: Phone;
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  phone = bench.phone;
  app = await openOn(join(folder.path, 'larder'), bench, impatient);
  await toRecovery(app, phone);
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const keep = async (label: string, picked: string[], usedOnly: string[] = []) => {
  const { id } = await startImaging(app, serial, {
    picked,
    usedOnly,
    label,
    confirmed: ['identity-left-out', 'live-file-system', 'battery'],
  });
  return app.engine.ended(id);
};
const small = ['boot', 'efs', 'persist', 'sbl1'];

describe('imaging', () => {
  it('keeps what the phone itself digests to the same', async () => {
    const run = await keep('first', small);
    expect(run).toMatchObject({ state: 'done', doneBytes: run.bytes });
    const set = app.larder.detail(run.setId!);
    expect(set.images.map(({ partition }) => partition)).toEqual(small);
    for (const { partition, bytes, sha256 } of set.images) {
      expect((await app.bench.access(serial).digest(partition, wholeOf(bytes))).hex).toBe(sha256);
    }
    expect(set).toMatchObject({
      label: 'first',
      condition: { kind: 'rooted', androidVersion: '9' },
      damaged: false,
    });
    expect(set.addedBytes).toBeLessThan(set.bytes / 2);
  });

  it('says who kept it, also where the catalogue is made from the shelf', async () => {
    const { setId } = await inNameOf('Ada', () => keep('by Ada', ['misc']));
    expect(app.larder.detail(setId!).by).toBe('Ada');
    const manifest = readFileSync(join(folder.path, 'larder', 'shelf', 'manifests', `${setId}.json`), 'utf8');
    expect(rowsOf(parseManifest(manifest), 0).set.keptBy).toBe('Ada');
    expect(app.larder.list().find(({ label }) => label === 'first')!.by).toBeUndefined();
  });

  it('keeps both copies of the partition table, which a new disk can be read by', async () => {
    const set = app.larder.detail((await keep('tables', ['gpt-primary', 'gpt-backup'])).setId!);
    const whole = new Map<number, Buffer>();
    for (const { partition, bytes, sha256 } of set.images) {
      const parts: Buffer[] = [];
      for await (const part of readImage(app.larder.shelf, app.larder.image(set.id, partition)))
        parts.push(part);
      const table = Buffer.concat(parts);
      expect(table.length).toBe(bytes);
      expect((await app.bench.access(serial).digest(partition, wholeOf(bytes))).hex).toBe(sha256);
      whole.set(partition === 'gpt-primary' ? 0 : phone.flash.bytes - bytes, table);
    }
    expect(whole.size).toBe(2);
    const kept = {
      bytes: phone.flash.bytes,
      read: (at: number, length: number) => {
        for (const [offset, table] of whole) {
          if (at >= offset && at + length <= offset + table.length) {
            return Promise.resolve(table.subarray(at - offset, at - offset + length));
          }
        }
        return Promise.resolve(Buffer.alloc(length));
      },
    };
    const gpt = await readGpt(kept, 512);
    expect(gpt).toMatchObject({ from: 'primary', findings: [] });
    expect(gpt.partitions.map(({ name }) => name)).toContain('userdata');
  });

  it('stores unchanged chunks once: after a day of use a second set adds less than 2 %', async () => {
    const again = app.larder.detail((await keep('again', small)).setId!);
    expect(again.addedBytes).toBe(0);
    await useForADay(phone.flash, 3);
    const second = app.larder.detail((await keep('second', [...small, 'userdata'], ['userdata'])).setId!);
    await useForADay(phone.flash, 4);
    const changed = app.larder.detail(
      (await keep('after a day', [...small, 'userdata'], ['userdata'])).setId!,
    );
    expect(changed.addedBytes).toBeGreaterThan(0);
    // Of the bytes as imaged, and even of the bytes that the first of the two had to store.
    expect(changed.addedBytes).toBeLessThan(second.bytes * 0.02);
    expect(changed.addedBytes).toBeLessThan(second.addedBytes * 0.02);
    const digest = ({ images }: typeof second) =>
      images.find(({ partition }) => partition === 'userdata')!.sha256;
    expect(digest(changed)).not.toBe(digest(second));
  });

  it('does not start while a check stands in the way, whatever is confirmed of a stop', async () => {
    const start = (label: string, confirmed: string[]) =>
      startImaging(app, serial, { picked: small, label, confirmed });
    await expect(start('new', [])).rejects.toMatchObject({
      status: 422,
      obstacles: [{ id: 'identity-left-out' }],
    });
    await expect(start('first', ['identity-left-out', 'name-taken'])).rejects.toMatchObject({
      obstacles: [{ id: 'name-taken' }],
    });
    expect(app.engine.runOf(serial)).toBeUndefined();
  });

  it('can be cancelled at any time', async () => {
    const { id } = await startImaging(app, serial, {
      picked: ['userdata'],
      label: 'cancelled',
      confirmed: ['identity-left-out'],
    });
    app.engine.cancel(id);
    const run = await app.engine.ended(id);
    expect(run).toMatchObject({ state: 'cancelled', setId: undefined });
    expect(app.larder.labels(serial)).not.toContain('cancelled');
    expect(() => app.engine.cancel(id)).toThrow(/ended already/);
  });

  it('can be cancelled while the phone sends nothing any more', async () => {
    phone.stallAfter(8 << 20);
    const { id } = await startImaging(app, serial, {
      picked: ['system'],
      label: 'stalled',
      confirmed: ['identity-left-out'],
    });
    await until('the first bytes', () => app.engine.view(id).doneBytes > 0);
    app.engine.cancel(id);
    expect(await app.engine.ended(id)).toMatchObject({ state: 'cancelled' });
    phone.endStall();
    expect(await keep('after the stall', ['sbl1'])).toMatchObject({ state: 'done' });
  });
});

describe('comparing', () => {
  const since = async (name: string) =>
    (await app.bench.partitionViews(serial)).find((each) => each.name === name)!.since;
  const compare = async (picked?: string[]) =>
    app.engine.ended((await startComparing(app, serial, picked ? { picked } : {})).id);

  it('finds what changed since it was kept, by the phone’s own digests', async () => {
    await keep('to compare with', small);
    // What was kept just now says nothing of later.
    expect([await since('efs'), await since('modem')]).toEqual([undefined, undefined]);
    const efs = phone.flash.partition('efs')!;
    const before = Buffer.from(await efs.read(5 << 20, 4));
    await efs.write(5 << 20, Buffer.of(1, 2, 3, 4));
    const run = await compare(['boot', 'efs']);
    expect(run).toMatchObject({ state: 'done', outcome: 'efs changed since last kept; 1 as last kept.' });
    expect(run.steps.map(({ result }) => result)).toEqual([
      'as in “to compare with”',
      'changed since “to compare with”',
    ]);
    expect([await since('boot'), await since('efs')]).toMatchObject([{ changed: false }, { changed: true }]);
    await efs.write(5 << 20, before);
    expect(await compare(['efs'])).toMatchObject({ outcome: 'All are as they were last kept.' });
    expect(await since('efs')).toMatchObject({ changed: false });
    // A phone that was started anew may have changed anything.
    await app.bench.restart(serial, 'recovery');
    await until('a new link', async () => isIn(app, 'recovery')() && (await since('boot')) === undefined);
  });

  it('has nothing to do where nothing was kept', async () => {
    await expect(startComparing(app, serial, { picked: ['modem'] })).rejects.toThrow(
      /Nothing of this was ever kept/,
    );
  });
});

describe('verifying and exporting', () => {
  it('finds a set in order, and exports it with checksums', async () => {
    const { id } = app.larder.list().find(({ label }) => label === 'first')!;
    expect(await app.engine.ended(startVerifying(app, [id]).id)).toMatchObject({ state: 'done' });
    expect(app.larder.detail(id).verifiedAt).toBeDefined();
    const started = await startExporting(app, id, { form: 'raw', packing: 'none' });
    const run = await app.engine.ended(started.id);
    expect(run.state).toBe('done');
    const files = readdirSync(join(app.exportFolder, 'first'));
    expect(files.sort()).toEqual(
      [
        'CONTENTS.json',
        'CONTENTS.txt',
        'MD5SUMS',
        'SHA256SUMS',
        ...small.map((name) => `${name}.img`),
      ].sort(),
    );
    const device = phone.flash.partition('efs')!;
    expect(
      readFileSync(join(app.exportFolder, 'first/efs.img')).equals(await device.read(0, device.bytes)),
    ).toBe(true);
  });
});

describe('putting back', () => {
  const start = (over: Partial<RestoringStart> = {}) => putting(first(), ['boot'], over);
  const first = () => app.larder.list().find(({ label }) => label === 'first')!.id;

  it('wants to be armed with the right characters', async () => {
    await expect(startRestoring(app, serial, start({ armedWith: '0000' }))).rejects.toThrow(/not armed/);
  });

  it('refuses on a low battery that does not charge', async () => {
    phone.setBattery(40, false);
    await app.bench.restart(serial, 'recovery');
    await until(
      'recovery',
      async () => isIn(app, 'recovery')() && app.bench.facts(serial).battery?.percent === 40,
    );
    await expect(startRestoring(app, serial, start())).rejects.toThrow(/Battery 40 %/);
    phone.setBattery(90, true);
    await app.bench.restart(serial, 'recovery');
    await until(
      'recovery',
      async () => isIn(app, 'recovery')() && app.bench.facts(serial).battery?.percent === 90,
    );
  });

  it.runIf(isLong)('brings a phone with a kernel of another build back', async () => {
    phone.setPower(false);
    await brokenBuilds.find(({ id }) => id === 'wrong-kernel')!.apply(phone.flash, phone.model);
    phone.setPower(true);
    await until('the loop to be noticed', () => app.bench.view(serial).presence === 'looping');
    void phone.start('recovery');
    await until('recovery', isIn(app, 'recovery'));
    const run = await app.engine.ended((await startRestoring(app, serial, start())).id);
    expect(run.outcome).toMatch(
      /It started after .* with TideOS 9 .*facts are the same as kept, (\d could not be compared, )?none differs without a reason/,
    );
    expect(run.state).toBe('done');
    expect(phone.state()).toMatchObject({ phase: 'running', mode: 'system', hasImei: true });
  });

  it('writes nothing when the stored image is damaged', async () => {
    await toRecovery(app, phone);
    const image = app.larder.image(first(), 'boot');
    const row = app.larder.shelf.find(image.chunks.subarray(0, 32))!;
    const path = join(app.larder.shelf.packFolder, app.larder.shelf.packName(row.packId));
    const { open } = await import('node:fs/promises');
    const file = await open(path, 'r+');
    const before = Buffer.alloc(1);
    await file.read(before, 0, 1, row.offset + 100);
    await file.write(Buffer.of(before[0]! ^ 1), 0, 1, row.offset + 100);
    const digest = await app.bench.access(serial).digest('boot', wholeOf(image.bytes));
    const run = await app.engine.ended((await startRestoring(app, serial, start())).id);
    expect(run.state).toBe('failed');
    expect(run.outcome).toMatch(/Nothing was written/);
    expect(await app.bench.access(serial).digest('boot', wholeOf(image.bytes))).toEqual(digest);
    const verified = await app.engine.ended(startVerifying(app, [first()]).id);
    expect(verified.state).toBe('failed');
    expect(app.larder.detail(first()).images.find(({ partition }) => partition === 'boot')?.damage).toMatch(
      /does not/,
    );
    await file.write(before, 0, 1, row.offset + 100);
    await file.close();
    expect(await app.engine.ended(startVerifying(app, [first()]).id)).toMatchObject({ state: 'done' });
    expect(app.larder.detail(first()).damaged).toBe(false);
  });
});

describe('the bin', () => {
  it('frees the space of what is in it and nothing else', async () => {
    for (const set of app.larder.list())
      if (set.label !== 'first') await app.larder.change(set.id, { binned: true });
    const before = (await app.larder.shelfView()).storedBytes;
    const { removed } = await app.larder.bin.empty(0);
    expect(removed).toBeGreaterThan(1);
    expect(app.larder.list().map(({ label }) => label)).toEqual(['first']);
    expect((await app.larder.shelfView()).storedBytes).toBeLessThan(before);
    expect(await app.engine.ended(startVerifying(app, [app.larder.list()[0]!.id]).id)).toMatchObject({
      state: 'done',
    });
  });
});
