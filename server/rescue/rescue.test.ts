// Every broken build on every phone that it can happen to: diagnosed, mended by the smallest repair that is
// proposed, and proved, over the links that a real phone would have.
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { RescueView } from '@keen-larder/contract/rescue.ts';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import type { SimulatedMode } from '@keen-larder/standin/phone/phone-state.ts';
import { brokenBuilds } from '@keen-larder/standin/scenario/broken-builds.ts';
import { putting, quick, serial as knot3, startKnot3, testFolder, until } from '../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../keen-larder.ts';
import { startImaging } from '../runs/imaging/imaging.ts';
import { startRestoring } from '../runs/restoring/restoring.ts';
import { isLong } from '../../testing/effort.ts';

const secondKnot3 = 'TW3K-10517';
const knot5 = 'TW5K-20316';
const sedge10 = 'MS10-70055';
const reed2 = 'MR2Q-44107';

type Case = [build: string, mode: SimulatedMode, finding: string, repair: string];
const ofKnot3: readonly Case[] = [
  ['wrong-kernel', 'recovery', 'does-not-start', 'boot'],
  ['half-firmware', 'recovery', 'does-not-start', 'boot-and-system'],
  ['no-boot', 'recovery', 'does-not-start', 'boot'],
  ['short-system', 'recovery', 'does-not-start', 'system'],
  ['no-identity', 'recovery', 'identity-lost', 'identity'],
  ['foreign-properties', 'recovery', 'another-model', 'system'],
];
/** What each build must be found as, and mended by, in the mode that still answers. */
const expected: Readonly<Record<string, readonly Case[]>> = {
  [knot3]: ofKnot3,
  [secondKnot3]: ofKnot3,
  [knot5]: [
    ['wrong-kernel', 'recovery', 'does-not-start', 'boot'],
    ['half-firmware', 'bootloader', 'not-judged', 'boot'],
    ['no-boot', 'bootloader', 'not-judged', 'boot'],
    ['wrong-slot', 'bootloader', 'other-slot', 'slot'],
    ['short-system', 'recovery', 'does-not-start', 'system'],
    ['no-identity', 'recovery', 'identity-lost', 'identity'],
    ['foreign-properties', 'recovery', 'another-model', 'system'],
  ],
  [sedge10]: [
    ['wrong-kernel', 'recovery', 'does-not-start', 'boot'],
    ['half-firmware', 'recovery', 'does-not-start', 'boot-and-system'],
    ['no-boot', 'recovery', 'does-not-start', 'boot'],
    ['short-system', 'recovery', 'does-not-start', 'system'],
    ['foreign-properties', 'recovery', 'another-model', 'system'],
  ],
  [reed2]: [
    ['wrong-kernel', 'loader', 'does-not-start', 'boot-chain'],
    ['half-firmware', 'loader', 'does-not-start', 'boot-and-system'],
    ['no-boot', 'loader', 'does-not-start', 'boot'],
    ['old-early-loader', 'loader', 'does-not-start', 'early-loader'],
    ['short-system', 'loader', 'does-not-start', 'system'],
    ['unsigned-boot', 'loader', 'does-not-start', 'boot'],
    ['no-identity', 'loader', 'identity-lost', 'identity'],
    ['foreign-properties', 'loader', 'another-model', 'system'],
  ],
};

/** What the browser's stories do not go through, on every run of the tests; all of them with `npm run kills`. */
const daily: Readonly<Record<string, readonly string[]>> = {
  [knot3]: ['no-boot'],
  [reed2]: ['short-system'],
};
const wanted = Object.entries(expected).flatMap(([serial, cases]) => {
  const some = isLong ? cases : cases.filter(([build]) => daily[serial]?.includes(build));
  return some.length > 0 ? [{ serial, cases: some }] : [];
});

const folder = testFolder();
let bench: PracticeBench;
let app: KeenLarder;

const phoneOf = (serial: string) => bench.phones.find(({ identity }) => identity.serial === serial)!;
async function into(serial: string, mode: SimulatedMode): Promise<void> {
  if (phoneOf(serial).state().mode !== mode) void phoneOf(serial).start(mode);
  await until(`${serial} in ${mode}`, () => app.bench.linkIn(serial, mode) !== undefined);
}

beforeAll(async () => {
  bench = await startKnot3(
    join(folder.path, 'phones'),
    wanted.map(({ serial }) => serial),
  );
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

describe.each(wanted)('$serial', ({ serial, cases }) => {
  const reading = serial === reed2 ? 'loader' : 'recovery';
  const isMended = (view: RescueView) => view.findings.every(({ severity }) => severity !== 'fault');

  beforeAll(async () => {
    await into(serial, reading);
    const picked = (await app.bench.partitions(serial))
      .map(({ name }) => name)
      // What no repair puts back is left out.
      .filter((name) => !/^(userdata|frp|cache|gpt-|modem(_|$))/.test(name));
    const confirmed = ['identity-left-out', 'battery'];
    const { id } = await startImaging(app, serial, { picked, label: 'good', confirmed });
    const run = await app.engine.ended(id);
    expect(run.state, run.outcome).toBe('done');
  });

  it('is found well when it is', async () => {
    const view = await app.rescue.view(serial);
    expect(view.findings.map(({ id }) => id)).toEqual(['no-fault']);
    expect(view.repairs.some(({ isSmallest }) => isSmallest)).toBe(false);
  });

  it.each(cases)('%s, reached in %s, is %s and mended by %s', async (id, mode, finding, repair) => {
    const phone = phoneOf(serial);
    const build = brokenBuilds.find((each) => each.id === id)!;
    expect(build.fits(phone.model)).toBe(true);
    const before = app.bench.linkIn(serial, mode);
    phone.setPower(false);
    await build.apply(phone.flash, phone.model);
    if (before) await until('the old link to go', () => app.bench.linkIn(serial, mode) !== before);
    // A phone that somebody holds the keys of.
    void phone.start(mode);
    await into(serial, mode);
    const view = await app.rescue.view(serial);
    expect(view.findings.map((each) => each.id)).toContain(finding);
    const smallest = view.repairs.find(({ isSmallest }) => isSmallest)!;
    expect(
      smallest.id,
      JSON.stringify(view.repairs.map((each) => [each.id, each.outcome, each.forecast])),
    ).toBe(repair);
    const start = putting(
      '',
      [],
      {
        puts: [...smallest.puts],
        ...(smallest.activate && { activate: smallest.activate }),
        confirmed: [
          'battery',
          'boot-forecast',
          'part-of-boot-chain',
          'older-system-newer-data',
          'version-crossing',
        ],
      },
      serial,
    );
    const run = await app.engine.ended((await startRestoring(app, serial, start)).id);
    if (id === 'half-firmware' && mode === 'bootloader') {
      // Nobody could tell that system is broken as well. With boot back, recovery reads, and then it can.
      expect(run.state, run.outcome).toBe('failed');
      await into(serial, 'recovery');
      const again = await app.rescue.view(serial);
      const next = again.repairs.find(({ isSmallest }) => isSmallest)!;
      expect(next).toMatchObject({ id: 'system', outcome: 'mends' });
      const second = await startRestoring(app, serial, { ...start, puts: [...next.puts] });
      expect((await app.engine.ended(second.id)).state).toBe('done');
    } else {
      expect(run.state, run.outcome).toBe('done');
      const proof = app.returns.proof(run.id);
      expect(proof!.rows.filter(({ result }) => result === 'different')).toEqual([]);
      expect(proof!.partitions.map(({ partition }) => partition).sort()).toEqual(
        smallest.images.map(({ partition }) => partition).sort(),
      );
    }
    expect(phone.state()).toMatchObject({ phase: 'running', mode: 'system' });
    if (phone.model.imei) expect(phone.state().hasImei).toBe(true);
    expect(isMended(await app.rescue.view(serial))).toBe(true);
  });
});
