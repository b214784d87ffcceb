// Putting back through the bootloader: it takes images in pieces and reads nothing out, so recovery proves them.
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import { maxDownloadBytes } from '@keen-larder/standin/fastboot/variables.ts';
import { filler } from '@keen-larder/standin/firmware/filler.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import type { SimulatedMode } from '@keen-larder/standin/phone/phone-state.ts';
import { putting, quick, serial, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { startImaging } from '../imaging/imaging.ts';
import { startRestoring } from './restoring.ts';
import { resumeRun } from '../resuming.ts';
import { halfWritten } from './writing-journal.ts';
import { digestOnFlash } from '../../../testing/digests.ts';
import { isLong } from '../../../testing/effort.ts';

const locked = 'MR2Q-44107';
const folder = testFolder();
/** One that does not fit into one download; with `npm run kills` one that takes many. */
const large = isLong ? 'system' : 'modem';
const picked = [large, 'boot', 'persist'];
/** What starts the phone is written last. */
const order = [large, 'persist', 'boot'];
const truth = new Map<string, string>();
let bench: PracticeBench;
let phone: Phone;
let app: KeenLarder;
let setId: string;

const phoneOf = (wanted: string) => bench.phones.find(({ identity }) => identity.serial === wanted)!;
async function into(wanted: string, mode: SimulatedMode): Promise<void> {
  if (phoneOf(wanted).state().mode !== mode) void phoneOf(wanted).start(mode);
  await until(mode, () => app.bench.linkIn(wanted, mode) !== undefined);
}
const digestOf = (name: string) => digestOnFlash(phone.flash.partition(name)!);

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), [locked]);
  phone = phoneOf(serial);
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'larder'),
    addresses: bench.phones.flatMap((each) => addressesOf(each.state())),
    pollMs: 30,
    retryPolicy: { stallMs: 3000, backoffMs: 5, tries: 3, awayMs: 900 },
  });
  await into(serial, 'recovery');
  for (const name of picked) truth.set(name, await digestOf(name));
  const confirmed = ['identity-left-out', 'battery'];
  const { id } = await startImaging(app, serial, { picked, label: 'kept', confirmed });
  setId = (await app.engine.ended(id)).setId!;
});
afterEach(() => {
  phone.mendAll();
  phone.setCable(true);
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

async function spoil(seed: number): Promise<void> {
  for (const [i, name] of picked.entries()) {
    await phone.flash.partition(name)!.write((i + 1) << 20, filler('program', seed + i, 300_000));
  }
}
const start = (over: object = {}) =>
  startRestoring(app, serial, putting(setId, picked, { confirmed: ['battery', 'will-wipe'], ...over }));

it('flashes in pieces, proves in recovery, and watches the start', async () => {
  await spoil(900);
  await into(serial, 'bootloader');
  expect(phone.flash.partition(large)!.bytes).toBeGreaterThan(maxDownloadBytes);
  const { id, steps } = await start();
  expect(steps.map(({ text }) => text)).toEqual([
    ...order.map((name) => `Verify the kept image of ${name}`),
    ...order.map((name) => `Flash ${name}`),
    'Restart into recovery',
    ...order.map((name) => `Compare the phone’s digest of ${name}`),
    'Restart into system',
    'Watch the phone start',
    'Compare the phone with what was kept',
  ]);
  const run = await app.engine.ended(id);
  expect(run.outcome).toMatch(/^3 images.*It started after .* with TideOS 9 TW3.260301.004/);
  expect(run).toMatchObject({ state: 'done', doneBytes: run.bytes });
  expect(halfWritten(app.unfinished, serial).size).toBe(0);
  for (const name of picked) expect(await digestOf(name), name).toBe(truth.get(name));
});

it('goes on after the cable was out for good', async () => {
  await into(serial, 'recovery');
  await spoil(950);
  await into(serial, 'bootloader');
  phone.pullCableAfter(isLong ? 30 << 20 : 6 << 20);
  const run = await app.engine.ended((await start({ restartAfter: false })).id);
  expect(run).toMatchObject({ state: 'interrupted', canResume: true });
  expect([...halfWritten(app.unfinished, serial).keys()]).toContain(large);
  phone.setCable(true);
  await until('the bootloader', () => app.bench.linkIn(serial, 'bootloader') !== undefined);
  const resumed = await app.engine.ended((await resumeRun(app, run.id)).id);
  expect(resumed.state, resumed.outcome).toBe('done');
  for (const name of picked) expect(await digestOf(name), name).toBe(truth.get(name));
  expect(halfWritten(app.unfinished, serial).size).toBe(0);
});

it('finds in recovery what a bad cable made of an image', async () => {
  await spoil(970);
  await into(serial, 'bootloader');
  phone.flash.faults.flip(20 << 20, 3);
  const { id } = await start({ restartAfter: false });
  await until('recovery', () => phone.state().mode === 'recovery');
  phone.flash.faults.clear();
  const run = await app.engine.ended(id);
  expect(run.state).toBe('failed');
  expect(run.outcome).toMatch(/computes another digest of \w+ .* is half written\. Try another cable/);
  await into(serial, 'bootloader');
  const resumed = await app.engine.ended((await resumeRun(app, id)).id);
  expect(resumed.state, resumed.outcome).toBe('done');
  for (const name of picked) expect(await digestOf(name), name).toBe(truth.get(name));
});

it('does not begin on a locked bootloader', async () => {
  await into(locked, 'bootloader');
  const sheet = await app.restoringSheets.restoring(locked, putting(setId, picked));
  expect(sheet.checks.find(({ id }) => id === 'bootloader-locked')).toMatchObject({ severity: 'stop' });
});
