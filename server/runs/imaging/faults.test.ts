// Seeded faults at as many points of imaging, hundreds of them when asked for. Whatever happens: no set is complete that is not
// what the phone holds, no earlier set is harmed, and the run ends in a state that says what to do.
import { createHash } from 'node:crypto';
import { mkdtempSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { generator } from '@keen-larder/standin/firmware/filler.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { quick, serial, startKnot3, testFolder, until, whenItAnswers } from '../../../testing/bench.ts';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { resumeImaging, startImaging } from './imaging.ts';
import { startVerifying } from '../files/verifying.ts';
import { faultSeeds, isLong } from '../../../testing/effort.ts';

/** The phones, each with a link of another kind. */
const places = [
  {
    link: 'adb',
    serial,
    mode: 'recovery',
    picked: ['modemst1', 'fsg', 'sbl1', 'tz', 'logo'],
  },
  {
    link: 'the loader’s protocol',
    serial: 'MR2Q-44107',
    mode: 'loader',
    picked: ['preloader', 'nvram', 'nvdata', 'logo', 'recovery'],
  },
] as const;
const seedsOfEach = faultSeeds(1);
/** Each of these waits for a phone that does not come. */
const seedsAway = Math.ceil(seedsOfEach / 2);

describe.each(isLong ? places : places.slice(0, 1))('over $link', ({ serial, mode, picked }) => {
  const folder = testFolder();
  let bench: PracticeBench;
  let phone: Phone;
  let app: KeenLarder;
  /** What the phone holds, by partition. */
  const truth = new Map<string, string>();
  let pickedBytes = 0;
  let keptId: string;

  beforeAll(async () => {
    bench = await startKnot3(join(folder.path, 'phones'), [serial]);
    phone = bench.phones.find(({ identity }) => identity.serial === serial)!;
    app = await openKeenLarder({
      ...quick,
      home: mkdtempSync(join(folder.path, 'larder-')),
      addresses: addressesOf(phone.state()),
      pollMs: 30,
      retryPolicy: { stallMs: 500, backoffMs: 5, tries: 3, awayMs: 700 },
    });
    void phone.start(mode);
    await until('the phone', isHere);
    for (const name of picked) {
      const device = name === 'preloader' ? phone.flash.earlyLoader! : phone.flash.partition(name)!;
      truth.set(
        name,
        createHash('sha256')
          .update(await device.read(0, device.bytes))
          .digest('hex'),
      );
      pickedBytes += device.bytes;
    }
    const run = await app.engine.ended(await begin('kept before', true));
    expect(run.state, run.outcome).toBe('done');
    keptId = run.setId!;
  });
  afterAll(async () => {
    await app.close();
    await bench.close();
    folder.remove();
  });

  const confirmed = ['identity-left-out', 'battery'];
  const begin = async (label: string, readAll: boolean) =>
    (await whenItAnswers(() => startImaging(app, serial, { picked: [...picked], label, readAll, confirmed })))
      .id;
  const isHere = () => app.bench.linkIn(serial, mode) !== undefined;
  const labels = () => app.larder.list().map(({ label }) => label);

  /** Next steps that an outcome may name. */
  const nextStep = /[Rr]esume|Try another cable|image it again|image them again|Start it again|start again/;

  async function mend(): Promise<void> {
    phone.mendAll();
    phone.setCable(true);
    if (phone.state().phase === 'off') void phone.start(mode);
    await until(mode, () => phone.state().mode === mode);
    await until('the phone', isHere);
  }

  /** Holds a run and its set against what must be so. */
  function expectHonest(run: RunView, label: string): void {
    const { state, outcome, setId } = run;
    switch (state) {
      case 'done':
        return expectTrue(setId!);
      case 'incomplete': {
        const set = app.larder.detail(setId!);
        expect(set.complete).toBe(false);
        expect(outcome).toMatch(nextStep);
        for (const { partition, sha256, unsettled } of set.images) {
          if (!unsettled) expect(sha256).toBe(truth.get(partition));
        }
        return;
      }
      default:
        expect(['interrupted', 'failed']).toContain(state);
        expect(outcome).toMatch(nextStep);
        expect(setId).toBeUndefined();
        expect(labels()).not.toContain(label);
    }
  }

  function expectTrue(setId: string): void {
    const set = app.larder.detail(setId);
    expect(set.complete).toBe(true);
    expect(new Map(set.images.map(({ partition, sha256 }) => [partition, sha256]))).toEqual(truth);
  }

  interface Case {
    readonly random: () => number;
    /** A place within all that is read. */
    readonly point: number;
    readonly id: string;
  }

  /** A page of the early loader region does not wear: it lies apart. */
  const onFlash = picked.filter((name) => name !== 'preloader');

  /** Each is told when the run begins and does its worst. */
  const faults: Readonly<Record<string, (given: Case) => Promise<void> | void>> = {
    'the cable comes out and goes in again': async ({ point }) => {
      phone.pullCableAfter(point);
      await until('the cable', () => !phone.state().cable || !app.engine.runOf(serial));
      phone.setCable(true);
    },
    'the cable stays out': ({ point }) => phone.pullCableAfter(point),
    'the cable flips bits': ({ random, point }) => phone.flash.faults.flip(point + 200_000, random()),
    'the phone falls silent': async ({ point, random }) => {
      phone.stallAfter(point);
      await new Promise((resolve) => setTimeout(resolve, random() % 1100));
      phone.endStall();
    },
    'the phone starts anew': async ({ random }) => {
      await new Promise((resolve) => setTimeout(resolve, random() % 250));
      void phone.start(mode);
    },
    'pages are worn': ({ random }) =>
      void phone.breakDown('worn', random(), onFlash[random() % onFlash.length]),
    'pages are weak': ({ random }) =>
      void phone.breakDown('weak', random(), onFlash[random() % onFlash.length]),
  };

  /** On every run of the tests some of them, each over one of the links. */
  const struck = Object.entries(faults).filter((_, i) => isLong || i % 4 === (mode === 'recovery' ? 0 : 1));

  describe.each(struck)('when %s', (name, strike) => {
    const seeds = name.includes('stays out') ? seedsAway : seedsOfEach;
    it(`nothing is lost and nothing half-done claims to be whole, at ${seeds} points`, async () => {
      const ends: Record<string, number> = {};
      for (let seed = 1; seed <= seeds; seed++) {
        const random = generator(seed * 7919 + name.length);
        for (let n = 0; n < 8; n++) random();
        const label = `${name} ${seed}`;
        const given = { random, point: random() % pickedBytes };
        const flashFault = /worn|weak|flips/.test(name);
        if (flashFault) await strike({ ...given, id: '' });
        // Every fourth asks the phone first, and reads only what has changed.
        const id = await begin(label, seed % 4 > 0);
        if (!flashFault) await strike({ ...given, id });
        const run = await app.engine.ended(id);
        expectHonest(run, label);
        ends[run.state] = (ends[run.state] ?? 0) + 1;
        await mend();
        if (run.canResume) {
          const resumed = await app.engine.ended((await resumeImaging(app, id)).id);
          expect(resumed.state, `${label}: ${resumed.outcome}`).toBe('done');
          expectTrue(resumed.setId!);
        }
      }
      expectTrue(keptId);
      const verified = await app.engine.ended(startVerifying(app, [keptId]).id);
      expect(verified.state, JSON.stringify(ends)).toBe('done');
      // A fault that never struck would prove nothing.
      if (/worn|weak/.test(name)) expect(ends['incomplete']).toBeGreaterThanOrEqual(seeds - 1);
      if (/stays out/.test(name)) expect(ends['interrupted']).toBeGreaterThan(seeds / 2);
    }, 900_000);
  });

  it('leaves a larder in which sets verify as they say', async () => {
    for (const [i, { id }] of app.larder.list().entries()) {
      if (i % 4 > 0) continue;
      expect(await app.engine.ended(startVerifying(app, [id]).id)).toMatchObject({ state: 'done' });
    }
  }, 900_000);
});
