// Simulated phones in the modes that can read, imaged over their own protocols and proven by themselves.
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  logicalSource,
  readLogicalPartitions,
} from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import type { SimulatedMode } from '@keen-larder/standin/phone/phone-state.ts';
import { isLong } from '../../../testing/effort.ts';
import { quick, testFolder, until, startPhones } from '../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import { startImaging } from '../imaging/imaging.ts';

const folder = testFolder();
let bench: PracticeBench;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startPhones(join(folder.path, 'phones'));
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'larder'),
    addresses: bench.phones.flatMap((phone) => addressesOf(phone.state())),
  });
  await until(
    'all phones',
    () => app.bench.list().filter(({ presence }) => presence === 'here').length === bench.phones.length,
  );
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const phoneOf = (serial: string) => bench.phones.find(({ identity }) => identity.serial === serial)!;
async function into(serial: string, mode: SimulatedMode): Promise<void> {
  const phone = phoneOf(serial);
  if (phone.state().mode !== mode) void phone.start(mode);
  await until(`${serial} in ${mode}`, () => app.bench.linkIn(serial, mode) !== undefined);
}
const confirmed = ['identity-left-out', 'battery', 'live-file-system'];
const start = (serial: string, label: string, picked: string[]) =>
  startImaging(app, serial, { label, picked, confirmed });

async function expectKept(serial: string, mode: SimulatedMode, picked: string[]): Promise<void> {
  await into(serial, mode);
  const { id } = await start(serial, `${serial} in ${mode}`, picked);
  const run = await app.engine.ended(id);
  expect(run.outcome).toMatch(/The phone computes the same digests/);
  const set = app.larder.detail(run.setId!);
  expect(set).toMatchObject({ complete: true, mode, imageCount: picked.length });
  for (const { partition, bytes, sha256 } of set.images) {
    expect((await app.bench.access(serial).digest(partition, wholeOf(bytes))).hex).toBe(sha256);
  }
}

const withKills: [string, SimulatedMode, string[]][] = [
  ['TW3K-10482', 'recovery', ['boot', 'efs', 'gpt-primary', 'gpt-backup']],
  ['TW5K-20316', 'system', ['boot_a', 'init_boot_a', 'vbmeta_a', 'metadata', 'gpt-backup']],
  ['MS10-70055', 'recovery', ['boot', 'vendor', 'persist']],
];

describe('is imaged', () => {
  it.each<[string, SimulatedMode, string[]]>([
    ['TW3K-10517', 'system', ['boot', 'modemst1', 'persist']],
    ['TW5K-20316', 'recovery', ['super', 'sec_efs', 'dtbo_a', 'vendor_boot_a']],
    ['MR2Q-44107', 'loader', ['preloader', 'boot', 'nvdata', 'nvram', 'gpt-primary']],
    // Their like goes through other tests on every run.
    ...(isLong ? withKills : []),
  ])('%s in %s', expectKept);

  it('a logical partition by itself, which lies within super and goes back with it alone', async () => {
    const knot5 = 'TW5K-20316';
    await into(knot5, 'recovery');
    const { flash } = phoneOf(knot5);
    const device = flash.partition('super')!;
    const { partitions } = await readLogicalPartitions(device);
    const laid = partitions.filter(({ bytes }) => bytes > 0).map(({ name, bytes }) => [name, bytes]);
    const within = (await app.bench.imageable(knot5)).filter((each) => each.within === 'super');
    expect(within.map(({ name, bytes }) => [name, bytes])).toEqual(laid);
    expect(within.find(({ name }) => name === 'vendor_a')).toMatchObject({ fileSystem: 'erofs' });
    expect((await app.bench.partitions(knot5)).some(({ name }) => name === 'vendor_a')).toBe(false);
    const run = await app.engine.ended((await start(knot5, 'vendor alone', ['vendor_a'])).id);
    expect(run.state, run.outcome).toBe('done');
    const [image] = app.larder.detail(run.setId!).images;
    const source = logicalSource(
      partitions.find(({ name }) => name === 'vendor_a')!,
      [device],
    );
    const bytes = await source.read(0, source.bytes);
    expect(image!.sha256).toBe(createHash('sha256').update(bytes).digest('hex'));
    const back = await app.restoringSheets.restoring(knot5, {
      puts: [{ setId: run.setId!, partition: 'vendor_a' }],
      restartAfter: false,
    });
    expect(back.checks.find(({ id }) => id === 'missing-partition')?.sentence).toMatch(
      /goes back with super/,
    );
    await expect(app.bench.access(knot5).write('vendor_a', (async function* () {})())).rejects.toThrow(
      /written whole/,
    );
  });

  it('two phones at the same time', async () => {
    await into('MR2Q-44107', 'loader');
    await into('TW3K-10482', 'recovery');
    const runs = [
      await start('MR2Q-44107', 'at once', ['modem', 'logo']),
      await start('TW3K-10482', 'at once', ['modem', 'logo']),
    ];
    expect(runs.map(({ state }) => state)).toEqual(['running', 'running']);
    for (const { id } of runs) expect(await app.engine.ended(id)).toMatchObject({ state: 'done' });
  });
});

describe('what a mode tells', () => {
  it('a system without root and a bootloader hand out nothing, and say what does', async () => {
    await into('MS10-70055', 'system');
    await expect(start('MS10-70055', 'none', ['boot'])).rejects.toThrow(/Recovery reads every partition/);
    await into('MS10-70055', 'bootloader');
    expect(app.bench.facts('MS10-70055')).toMatchObject({
      model: 'Sedge 10',
      maker: 'Marram',
      condition: { bootloaderUnlocked: true },
      variables: { product: 'sedge10', 'slot-count': '0' },
    });
    await expect(start('MS10-70055', 'none', ['boot'])).rejects.toThrow(/hands out no partitions/);
    await app.bench.restart('MS10-70055', 'recovery');
    await until('recovery', () => app.bench.linkIn('MS10-70055', 'recovery') !== undefined);
  });

  it('the loader reads what runs on the phone out of its flash, and recovery does through logical partitions', async () => {
    await into('MR2Q-44107', 'loader');
    expect(app.bench.facts('MR2Q-44107')).toMatchObject({
      model: 'Reed 2',
      condition: { kind: 'stock', androidVersion: '11' },
      battery: { percent: 74 },
    });
    await into('TW5K-20316', 'recovery');
    expect(app.bench.facts('TW5K-20316').condition).toMatchObject({
      kind: 'rooted',
      androidVersion: '14',
      encrypted: true,
    });
  });

  it('ciphertext is no file system, and mapped partitions count as mounted', async () => {
    await into('TW5K-20316', 'system');
    const partitions = await app.bench.partitions('TW5K-20316');
    const find = (name: string) => partitions.find((each) => each.name === name)!;
    expect(find('userdata').fileSystem).toBeUndefined();
    expect(find('super').fileSystem).toBe('logical partitions');
    expect(find('vbmeta_a')).toMatchObject({ fileSystem: 'verified-boot metadata', role: 'boot-chain' });
    expect(find('metadata').mount).toMatchObject({ at: '/metadata', writable: true });
  });
});
