// Firmware as it is handed out: a zip with sparse images in it, made by Info-ZIP and img2simg; taken in, judged
// by what its images say of themselves, and flashed.
import { execFileSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { ImportingStart } from '@keen-larder/contract/requests/imports.ts';
import { makeBootImage, stockBoot } from '@keen-larder/standin/firmware/boot-images.ts';
import { firmwareBuilds } from '@keen-larder/standin/firmware/builds.ts';
import { pourTemplate } from '@keen-larder/standin/firmware/pour.ts';
import {
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { importSheet, knownPartitions, startImporting } from './importing.ts';
import { startRestoring } from '../restoring/restoring.ts';

const knot3 = { maker: 'Tidewell', model: 'Knot 3' };
const folder = testFolder();
const home = join(folder.path, 'larder');
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(home, bench);
  await toRecovery(app, bench.phone);
  await app.bench.partitions(serial);
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const views = () => app.incoming.view((each) => knownPartitions(app, each)).imports;
async function ready(id: string): Promise<ImportView> {
  await until(`${id} to be looked at`, () => views().find((each) => each.id === id)?.state === 'ready');
  return views().find((each) => each.id === id)!;
}
async function takeIn(view: ImportView, label: string, over: Partial<ImportingStart> = {}): Promise<string> {
  const choices = view.images.flatMap(({ paths, partition }) =>
    partition ? [{ path: paths[0]!, partition }] : [],
  );
  const start = { choices, label, serial, confirmed: [], ...over };
  const { id } = await startImporting(app, app.incoming.batch(view.id), start, () =>
    app.incoming.putAside(view.id),
  );
  const run = await app.engine.ended(id);
  expect(run.state, run.outcome).toBe('done');
  return run.setId!;
}
/** A file system of the shipped firmware as the maker would hand it out. */
async function systemImage(name: 'system-january', path: string): Promise<void> {
  const bytes = Buffer.alloc(96 << 20);
  await pourTemplate(
    name,
    {
      bytes: bytes.length,
      read: (offset, length) => Promise.resolve(bytes.subarray(offset, offset + length)),
      write: (offset, part) => Promise.resolve(bytes.set(part, offset)),
    },
    true,
  );
  writeFileSync(`${path}.raw`, bytes);
  execFileSync('img2simg', [`${path}.raw`, path]);
}

it('is unpacked from a zip, matched, named for what it is, and flashed', async () => {
  const made = join(folder.path, 'TW3.260105.002');
  mkdirSync(made);
  writeFileSync(join(made, 'boot.img'), makeBootImage(stockBoot(firmwareBuilds['system-january'])));
  await systemImage('system-january', join(made, 'system.img'));
  execFileSync(
    'sh',
    [
      '-c',
      'sha256sum boot.img system.img > SHA256SUMS && zip -q -1 ../firmware.zip boot.img system.img SHA256SUMS',
    ],
    { cwd: made },
  );
  execFileSync('mv', [join(folder.path, 'firmware.zip'), join(home, 'imports', 'firmware.zip')]);
  const view = await ready('firmware.zip');
  expect(view.images.map(({ partition, layers, fault }) => [partition, layers, fault])).toEqual([
    ['boot', ['boot image'], undefined],
    ['system', ['sparse image', 'ext4'], undefined],
  ]);
  const setId = await takeIn(view, 'TideOS of January', { serial: '', firmwareOf: knot3 });
  const set = app.larder.detail(setId);
  expect(set).toMatchObject({ firmware: true, imported: true, ...knot3 });
  expect(set.condition).toMatchObject({
    kind: 'stock',
    androidVersion: '9',
    build: 'TideOS 9 TW3.260105.002',
    patchLevel: '2026-01-05',
    product: { maker: 'Tidewell', model: 'Knot 3' },
  });

  const plan = putting(setId, ['boot', 'system'], { confirmed: ['older-system-newer-data'] });
  const severity = async (id: string) =>
    (await app.restoringSheets.restoring(serial, plan)).checks.find((check) => check.id === id)?.severity;
  expect(await severity('wrong-model')).toBeUndefined();
  expect(await severity('firmware-of-model')).toBe('good');
  expect(await severity('identity-of-another')).toBeUndefined();
  expect(await severity('boot-forecast')).toBe('good');
  expect(await severity('older-system-newer-data')).toBe('confirm');
  const run = await app.engine.ended((await startRestoring(app, serial, plan)).id);
  expect(run.outcome).toMatch(/with TideOS 9 TW3.260105.002/);
  const rows = app.returns.proof(run.id)!.rows;
  expect(rows.find(({ what }) => what === 'Firmware')).toMatchObject({ result: 'same' });
  expect(rows.find(({ what }) => what === 'Condition')).toMatchObject({ kept: 'stock', now: 'stock' });
});

it('is of a model, and of no phone: not on the bench, not under rules, found after the catalogue was lost', async () => {
  expect(app.bench.list().map((phone) => phone.serial)).toEqual([serial]);
  expect(app.finding.find('Knot 3').phones.found.map((phone) => phone.serial)).toEqual([serial]);
  const [set] = app.larder.list().filter(({ firmware }) => firmware);
  expect(app.order.view().sets.find(({ id }) => id === set!.id)?.reasons).toEqual(['came as files']);
  expect(await app.larder.rebuild()).toEqual([]);
  expect(app.larder.detail(set!.id)).toMatchObject({ firmware: true, label: 'TideOS of January' });

  writeFileSync(join(home, 'imports', 'efs.img'), Buffer.alloc(524_288, 'identity'));
  const view = await ready('efs.img');
  const request = { choices: [{ path: 'efs.img', partition: 'efs' }], label: 'With an identity', serial: '' };
  const { checks } = await importSheet(app, app.incoming.batch(view.id), { ...request, firmwareOf: knot3 });
  expect(checks.find(({ id }) => id === 'identity-in-firmware')).toMatchObject({ severity: 'stop' });
});

it('mends a phone that has no sets of its own', async () => {
  const [set] = app.larder.list().filter(({ firmware }) => firmware);
  await toRecovery(app, bench.phone);
  const offered = (await app.rescue.view(serial)).repairs.filter(({ label }) => label === set!.label);
  expect(offered.flatMap(({ puts }) => puts.map(({ partition }) => partition))).toEqual(
    expect.arrayContaining(['boot']),
  );
});

it('of another model stops by what its own images say', async () => {
  await toRecovery(app, bench.phone);
  writeFileSync(
    join(home, 'imports', 'boot.img'),
    makeBootImage(stockBoot(firmwareBuilds['sedge10-system'])),
  );
  const setId = await takeIn(await ready('boot.img'), 'Not for this phone');
  expect(app.larder.detail(setId).condition.product).toEqual({ maker: 'Marram', model: 'Sedge 10' });
  const { checks } = await app.restoringSheets.restoring(serial, putting(setId, ['boot']));
  expect(checks.find(({ id }) => id === 'wrong-model')).toMatchObject({
    severity: 'stop',
    sentence: expect.stringContaining('Marram Sedge 10') as string,
  });
});

it('says what its package says of itself, beside the phone', async () => {
  const made = join(folder.path, 'package');
  mkdirSync(join(made, 'META-INF/com/android'), { recursive: true });
  writeFileSync(join(made, 'boot.img'), makeBootImage(stockBoot(firmwareBuilds['system-january'])));
  writeFileSync(
    join(made, 'META-INF/com/android/metadata'),
    'post-build=Tidewell/knot3/knot3:9/X/1:user/release-keys\npre-device=knot3\nota-wipe=yes\n',
  );
  writeFileSync(join(made, 'android-info.txt'), 'require version-bootloader=Quern-Q58-1.3|Quern-Q58-1.5\n');
  execFileSync('zip', ['-q', '-r', join(home, 'imports', 'package.zip'), '.'], { cwd: made });
  const setId = await takeIn(await ready('package.zip'), 'With a package');
  expect(app.larder.detail(setId).condition.package).toMatchObject({ devices: ['knot3'], wipes: true });
  await toRecovery(app, bench.phone);
  const { checks } = await app.restoringSheets.restoring(serial, putting(setId, ['boot']));
  const found = checks.filter(({ id }) => id.startsWith('package-'));
  expect(found.map(({ id, severity }) => [id, severity])).toEqual([
    ['package-requires', 'confirm'],
    ['package-limits', 'confirm'],
    ['package-device', 'good'],
  ]);
  expect(found[0]!.sentence).toContain('the phone has Quern-Q58-1.4');
});

it('that is damaged or has a password says so', async () => {
  const plain = join(folder.path, 'logo.img');
  writeFileSync(plain, Buffer.alloc(100_000, 'logo'));
  execFileSync('zip', ['-q', '-j', '-P', 'secret', join(home, 'imports', 'locked.zip'), plain]);
  execFileSync('zip', ['-q', '-j', '-0', join(folder.path, 'whole.zip'), plain]);
  const { readFileSync } = await import('node:fs');
  const spoilt = readFileSync(join(folder.path, 'whole.zip'));
  spoilt[5000]! ^= 1;
  writeFileSync(join(home, 'imports', 'spoilt.zip'), spoilt);
  writeFileSync(join(home, 'imports', 'short.zip'), spoilt.subarray(0, 50_000));
  const faultOf = async (id: string) => (await ready(id)).images[0]?.fault ?? (await ready(id)).fault;
  expect(await faultOf('locked.zip')).toMatch(/has a password/);
  expect(await faultOf('spoilt.zip')).toMatch(/cannot be read: zip.*CRC/i);
  expect(await faultOf('short.zip')).toMatch(/cannot be read: zip/);
});
