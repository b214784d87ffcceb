// What the run sheet says of the start, and what the phone then does.
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import type { SimulatedMode } from '@keen-larder/standin/phone/phone-state.ts';
import { brokenBuilds } from '@keen-larder/standin/scenario/broken-builds.ts';
import { putting, quick, serial as knot3, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { startImaging } from '../imaging/imaging.ts';
import { startRestoring } from './restoring.ts';
import { isLong } from '../../../testing/effort.ts';

const knot5 = 'TW5K-20316';
const folder = testFolder();
let bench: PracticeBench;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), [knot5]);
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'larder'),
    addresses: bench.phones.flatMap((phone) => addressesOf(phone.state())),
    pollMs: 30,
  });
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const phoneOf = (serial: string) => bench.phones.find(({ identity }) => identity.serial === serial)!;
async function into(serial: string, mode: SimulatedMode): Promise<void> {
  if (phoneOf(serial).state().mode !== mode) void phoneOf(serial).start(mode);
  await until(mode, () => app.bench.linkIn(serial, mode) !== undefined);
}
async function spoiled(serial: string, id: string): Promise<void> {
  const phone = phoneOf(serial);
  await brokenBuilds.find((each) => each.id === id)!.apply(phone.flash, phone.model);
  // What was read of the phone before is of before.
  await app.bench.restart(serial, 'recovery');
  await until('the restart', () => app.bench.view(serial).presence !== 'here');
  await into(serial, 'recovery');
}
async function sheet(serial: string, setId: string, picked: string[]) {
  const found = await app.restoringSheets.restoring(serial, putting(setId, picked));
  return found.checks.find(({ id }) => id === 'boot-forecast');
}

describe('Knot 3', () => {
  let setId: string;
  beforeAll(async () => {
    await into(knot3, 'recovery');
    const confirmed = ['identity-left-out', 'battery'];
    const picked = ['boot', 'system', 'persist'];
    const { id } = await startImaging(app, knot3, { picked, label: 'kept', confirmed });
    setId = (await app.engine.ended(id)).setId!;
  });

  it('starts as it is', async () => {
    expect(await app.forecaster.forecast(knot3)).toMatchObject({ result: 'starts' });
    expect(await sheet(knot3, setId, ['boot'])).toMatchObject({ severity: 'good' });
    expect(await sheet(knot3, setId, ['persist'])).toBeUndefined();
  });

  it.runIf(isLong)('with half a firmware it needs both, and starts when both are put back', async () => {
    await spoiled(knot3, 'half-firmware');
    expect(await app.forecaster.forecast(knot3)).toMatchObject({ result: 'loops' });
    const alone = await sheet(knot3, setId, ['boot']);
    expect(alone).toMatchObject({
      severity: 'confirm',
      title: 'It will not start: it restarts over and over',
    });
    expect(alone?.sentence).toMatch(/the system partition is damaged/);
    expect(await sheet(knot3, setId, ['boot', 'system'])).toMatchObject({ severity: 'good' });
    const { id } = await startRestoring(app, knot3, putting(setId, ['boot', 'system']));
    expect((await app.engine.ended(id)).outcome).toMatch(/It started after .* with TideOS 9/);
  });

  it('with a kernel of another build it loops for that reason, as the phone does', async () => {
    await into(knot3, 'recovery');
    await spoiled(knot3, 'wrong-kernel');
    const forecast = await app.forecaster.forecast(knot3);
    expect(forecast?.result).toBe('loops');
    void phoneOf(knot3).start('system');
    await until('the loop', () => phoneOf(knot3).state().phase === 'looping');
    expect(phoneOf(knot3).state().reason).toBe(forecast!.reason);
    await into(knot3, 'recovery');
  });

  it('without boot its bootloader refuses', async () => {
    await spoiled(knot3, 'no-boot');
    expect(await app.forecaster.forecast(knot3)).toMatchObject({ result: 'refused' });
    expect(await sheet(knot3, setId, ['boot'])).toMatchObject({
      severity: 'good',
      sentence: expect.stringMatching(/As it is now, it is refused by its bootloader/) as string,
    });
  });
});

describe('Knot 5', () => {
  it('verifies through both slots’ metadata, and warns of what its maker did not sign', async () => {
    await into(knot5, 'recovery');
    expect(await app.forecaster.forecast(knot5)).toMatchObject({
      result: 'starts',
      reason: expect.stringContaining('from slot a') as string,
    });
    const dtbo = phoneOf(knot5).flash.partition('dtbo_a')!;
    await dtbo.write(100, Uint8Array.of(1, 2, 3));
    await into(knot5, 'bootloader');
    expect(await app.forecaster.forecast(knot5)).toBeUndefined();
    await into(knot5, 'recovery');
    expect(await app.forecaster.forecast(knot5)).toMatchObject({
      result: 'warns',
      reason: expect.stringContaining('dtbo is not what vbmeta signs for') as string,
    });
  });
});
