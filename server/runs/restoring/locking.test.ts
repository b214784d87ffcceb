// Locking and unlocking: refused where the phone would never start again, agreed to on its screen, and wiping.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import type { SimulatedMode } from '@keen-larder/standin/phone/phone-state.ts';
import { putting, serial as knot3, serveOn, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import type { Serving } from '../../serve.ts';
import { startImaging } from '../imaging/imaging.ts';
import { startLocking } from './locking.ts';

const serial = 'TW5K-20316';
const folder = testFolder();
let bench: PracticeBench;
let phone: Phone;
let serving: Serving;
let app: KeenLarder;
const confirmed = ['will-wipe', 'battery'];
const armedWith = serial.slice(-4);

const phoneOf = (wanted: string) => bench.phones.find(({ identity }) => identity.serial === wanted)!;
async function into(mode: SimulatedMode, wanted = serial): Promise<void> {
  if (phoneOf(wanted).state().mode !== mode) void phoneOf(wanted).start(mode);
  await until(mode, () => app.bench.linkIn(wanted, mode) !== undefined);
}
async function post(path: string, body: object, of = serial) {
  const answer = await fetch(`${serving.url}/api/phones/${of}/${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  return { status: answer.status, body: (await answer.json()) as RunSheet & { detail?: string } };
}
const severity = async (lock: boolean, id: string, of = serial) =>
  (await post('locking-sheet', { lock }, of)).body.checks.find((check) => check.id === id)?.severity;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), [serial]);
  phone = phoneOf(serial);
  serving = await serveOn(join(folder.path, 'larder'), bench, { pollMs: 30 });
  ({ app } = serving);
  await into('recovery');
});
afterAll(async () => {
  await serving.close();
  await bench.close();
  folder.remove();
});

it('re-lock stops on a part that the maker did not sign, and where it cannot be read', async () => {
  const dtbo = phone.flash.partition('dtbo_a')!;
  expect(await severity(true, 're-lock')).toBe('good');
  const before = Buffer.from(await dtbo.read(100, 3));
  await dtbo.write(100, Uint8Array.of(1, 2, 3));
  await into('bootloader');
  expect(await severity(true, 're-lock')).toBe('stop');
  await into('recovery');
  expect(await severity(true, 're-lock')).toBe('stop');
  // Not by ticking what is no tick, either.
  const start = { lock: true, confirmed: [...confirmed, 're-lock'], armedWith };
  expect(await post('locking', start)).toMatchObject({
    status: 422,
    body: { detail: expect.stringContaining('dtbo is not what vbmeta signs for') as string },
  });
  await dtbo.write(100, before);
  await into('bootloader');
  await into('recovery');
});

it('re-lock stops on a phone without verified boot', async () => {
  await into('recovery', knot3);
  expect(await severity(true, 're-lock', knot3)).toBe('stop');
});

it('wants to be armed, and has nothing to do on a phone that is unlocked already', async () => {
  const refusal = async (start: object) => (await post('locking', start)).body.detail;
  expect(await refusal({ lock: true, confirmed, armedWith: 'nope' })).toMatch(/not armed/);
  expect(await refusal({ lock: true, confirmed: [], armedWith })).toMatch(/wiped/);
  expect(await refusal({ lock: false, confirmed: [...confirmed, 'locked-already'], armedWith })).toMatch(
    /unlocked/,
  );
  expect(await severity(false, 'locked-already')).toBe('stop');
  expect(await severity(true, 'locked-already')).toBeUndefined();
});

it('changes nothing when it is refused on the screen', async () => {
  phone.trusting = false;
  const { id } = await startLocking(app, serial, { lock: true, confirmed, armedWith });
  await until('the question', () => phone.state().question === 'lock');
  expect(app.engine.view(id)).toMatchObject({ state: 'waiting' });
  await phone.answerAsking(false);
  const run = await app.engine.ended(id);
  expect(run).toMatchObject({ state: 'failed' });
  expect(run.outcome).toMatch(/refused on the screen.*Nothing was changed/);
  expect(phone.state().locked).toBe(false);
  phone.trusting = true;
});

it('locks, wipes, starts, and from then on what was encrypted does not go back', async () => {
  await into('recovery');
  const keep = {
    picked: ['userdata', 'metadata', 'vbmeta_a'],
    label: 'before',
    confirmed: ['identity-left-out'],
  };
  const kept = await app.engine.ended((await startImaging(app, serial, keep)).id);
  const setId = kept.setId!;
  const plan = putting(setId, ['userdata', 'metadata'], {}, serial);
  const check = async () =>
    (await app.restoringSheets.restoring(serial, plan)).checks.find(({ id }) => id === 'encrypted-user-data');
  expect(await check()).toMatchObject({ severity: 'note' });

  const run = await app.engine.ended(
    (await startLocking(app, serial, { lock: true, confirmed, armedWith })).id,
  );
  expect(run.outcome).toMatch(/The bootloader is locked; user data is wiped/);
  expect(phone.state()).toMatchObject({ locked: true, mode: 'system' });
  expect(app.bench.facts(serial).condition).toMatchObject({ bootloaderUnlocked: false });
  await into('recovery');
  expect(await check()).toMatchObject({ severity: 'stop', title: 'The key of this user data is gone' });
  // A locked phone that started remembers the rollback index.
  expect(Number(phone.flash.vault.rollback?.['0'])).toBeGreaterThan(0);
});

it('does not start unsigned once it is locked, and does again when it is unlocked', async () => {
  const dtbo = phone.flash.partition('dtbo_a')!;
  const before = Buffer.from(await dtbo.read(100, 3));
  await dtbo.write(100, Uint8Array.of(1, 2, 3));
  void phone.start('system');
  await until('the refusal', () => phone.state().phase === 'looping');
  expect(phone.state().reason).toMatch(/dtbo is not what vbmeta signs for/);
  await into('bootloader');
  expect(await severity(false, 'locked-already')).toBeUndefined();
  const run = await app.engine.ended(
    (await startLocking(app, serial, { lock: false, confirmed, armedWith })).id,
  );
  expect(run.outcome).toMatch(/unlocked; user data is wiped/);
  expect(phone.state()).toMatchObject({ locked: false, mode: 'system' });
  await dtbo.write(100, before);
});
