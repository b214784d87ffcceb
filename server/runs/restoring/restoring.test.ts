// Putting back through what goes wrong at a bench: nothing is called put back that is not what was kept.
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import { filler, generator } from '@keen-larder/standin/firmware/filler.ts';
import type { Device } from '@keen-larder/standin/flash/flash.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import {
  putting,
  quick,
  serial,
  startKnot3,
  testFolder,
  until,
  whenItAnswers,
} from '../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { startImaging } from '../imaging/imaging.ts';
import { startRestoring } from './restoring.ts';
import { resumeRun } from '../resuming.ts';
import { halfWritten } from './writing-journal.ts';
import { digestOnFlash } from '../../../testing/digests.ts';
import { faultSeeds, isLong } from '../../../testing/effort.ts';

const places = [
  { link: 'adb', serial, mode: 'recovery', picked: [isLong ? 'boot' : 'modemst1', 'logo', 'tz'] },
  {
    link: 'the loader’s protocol',
    serial: 'MR2Q-44107',
    mode: 'loader',
    picked: ['preloader', isLong ? 'boot' : 'nvram', 'logo'],
  },
] as const;
const seeds = faultSeeds(1);

describe.each(places)('over $link', ({ serial, mode, picked }) => {
  /** What is the same over each link is tried over one on every run of the tests. */
  const onOneLink = it.skipIf(!isLong && mode !== 'recovery');
  const folder = testFolder();
  const home = join(folder.path, 'larder');
  let bench: PracticeBench;
  let phone: Phone;
  let app: KeenLarder;
  let setId: string;
  const truth = new Map<string, string>();

  const open = () =>
    openKeenLarder({
      ...quick,
      home,
      addresses: addressesOf(phone.state()),
      pollMs: 30,
      retryPolicy: { stallMs: 1000, backoffMs: 5, tries: 3, awayMs: 1200 },
    });
  const deviceOf = (name: string): Device =>
    name === 'preloader' ? phone.flash.earlyLoader! : phone.flash.partition(name)!;
  const digestOf = (name: string) => digestOnFlash(deviceOf(name));
  /** Of all that is written: while it is verified and compared nothing goes over the cable. */
  const aThird = () => Math.floor(picked.reduce((sum, name) => sum + deviceOf(name).bytes, 0) / 3);
  const isHere = () => app.bench.linkIn(serial, mode) !== undefined;

  beforeAll(async () => {
    bench = await startKnot3(join(folder.path, 'phones'), [serial]);
    phone = bench.phones.find(({ identity }) => identity.serial === serial)!;
    app = await open();
    void phone.start(mode);
    await until('the phone', isHere);
    for (const name of picked) truth.set(name, await digestOf(name));
    const confirmed = ['identity-left-out', 'battery'];
    const { id } = await startImaging(app, serial, { picked: [...picked], label: 'kept', confirmed });
    const run = await app.engine.ended(id);
    expect(run.state, run.outcome).toBe('done');
    setId = run.setId!;
  });
  afterEach(() => mend());
  afterAll(async () => {
    await app.close();
    await bench.close();
    folder.remove();
  });

  async function mend(): Promise<void> {
    phone.mendAll();
    phone.setCable(true);
    if (phone.state().mode !== mode) void phone.start(mode);
    // A link that was cut off is noticed a moment later.
    await until('the phone', () =>
      isHere() ? app.bench.partitions(serial).then(Boolean, () => false) : false,
    );
  }
  /** Somebody flashes something else, wherever the dice say. */
  async function spoil(random: () => number): Promise<void> {
    for (const name of picked) {
      const device = deviceOf(name);
      const bytes = Math.min(device.bytes, 64 << 10);
      await device.write((random() % (device.bytes / bytes)) * bytes, filler('program', random(), bytes));
      expect(await digestOf(name)).not.toBe(truth.get(name));
    }
  }
  const start = async () => {
    const confirmed = ['battery', 'will-wipe', 'image-not-complete'];
    const start = putting(setId, picked, { restartAfter: false, confirmed }, serial);
    return (await whenItAnswers(() => startRestoring(app, serial, start))).id;
  };
  async function expectPutBack(): Promise<void> {
    for (const name of picked) expect(await digestOf(name), name).toBe(truth.get(name));
  }

  it('brings back every byte, whatever was there', async () => {
    await spoil(generator(11));
    const run = await app.engine.ended(await start());
    expect(run.outcome).toMatch(/^3 images, .* every digest computed by the phone agrees/);
    expect(run).toMatchObject({ state: 'done', canResume: false });
    await expectPutBack();
  });

  onOneLink('waits for a cable that comes out, and goes on by itself', async () => {
    await spoil(generator(12));
    const id = await start();
    phone.pullCableAfter(aThird());
    await until('the run to wait', () => app.engine.view(id).state === 'waiting');
    phone.setCable(true);
    const run = await app.engine.ended(id);
    expect(run).toMatchObject({ state: 'done', doneBytes: run.bytes });
    await expectPutBack();
  });

  onOneLink(
    'knows what is half written when the phone stays away, and goes on in a program started anew',
    async () => {
      await spoil(generator(13));
      const id = await start();
      phone.pullCableAfter(aThird());
      const run = await app.engine.ended(id);
      expect(run).toMatchObject({ state: 'interrupted', canResume: true });
      expect(run.outcome).toMatch(/did not come back.*resume the run/);
      const half = halfWritten(app.unfinished, serial);
      expect([...half.values()]).toEqual([run.id]);
      await app.close();
      app = await open();
      expect(halfWritten(app.unfinished, serial).size).toBe(1);
      await mend();
      const resumed = await app.engine.ended((await resumeRun(app, run.id)).id);
      expect(resumed.state, resumed.outcome).toBe('done');
      expect(halfWritten(app.unfinished, serial).size).toBe(0);
      await expectPutBack();
      await expect(resumeRun(app, run.id)).rejects.toThrow(/nothing is left/);
    },
  );

  onOneLink('stays half written when it is cancelled, until it is resumed or put back', async () => {
    await spoil(generator(14));
    const id = await start();
    phone.stallAfter(aThird());
    await until('a write', () => halfWritten(app.unfinished, serial).size === 1);
    app.engine.cancel(id);
    const cancelled = await app.engine.ended(id);
    expect(cancelled).toMatchObject({ state: 'cancelled', canResume: true });
    expect(cancelled.outcome).toMatch(/it is half written\. Resume the run, or put it back/);
    await mend();
    // Another run that proves it does as well.
    expect(await app.engine.ended(await start())).toMatchObject({ state: 'done' });
    expect(halfWritten(app.unfinished, serial).size).toBe(0);
    await expectPutBack();
  });

  onOneLink('calls nothing put back that the phone cannot hold', async () => {
    await spoil(generator(15));
    const { startBytes } = phone.flash.list().find(({ name }) => name === 'logo')!;
    phone.flash.faults.set('unwritable', [{ offset: startBytes + (1 << 20), bytes: 4096 }]);
    const run = await app.engine.ended(await start());
    expect(run.state).toBe('failed');
    expect(run.outcome).toMatch(/cannot write its own flash there.* logo is half written/);
    expect([...halfWritten(app.unfinished, serial).keys()]).toEqual(['logo']);
    phone.mendAll();
    expect(await app.engine.ended(await start())).toMatchObject({ state: 'done' });
    await expectPutBack();
  });

  onOneLink('says so when what was written cannot be read back', async () => {
    await spoil(generator(16));
    const { startBytes } = phone.flash.list().find(({ name }) => name === 'logo')!;
    phone.flash.faults.set('worn', [{ offset: startBytes + (1 << 20), bytes: 4096 }]);
    const run = await app.engine.ended(await start());
    expect(run).toMatchObject({ state: 'failed', canResume: true });
    expect(run.outcome).toMatch(/cannot read back what was written to logo.* logo is half written/);
    phone.mendAll();
    const resumed = await app.engine.ended((await resumeRun(app, run.id)).id);
    expect(resumed).toMatchObject({ state: 'done', canResume: false });
    await expectPutBack();
  });

  const faults: Readonly<Record<string, (random: () => number, point: number) => Promise<void> | void>> = {
    'the cable comes out and goes in again': async (_random, point) => {
      phone.pullCableAfter(point);
      await until('the cable', () => !phone.state().cable || !app.engine.runOf(serial));
      phone.setCable(true);
    },
    'the cable stays out': (_random, point) => phone.pullCableAfter(point),
    'the cable flips bits': (random, point) => phone.flash.faults.flip(point + 400_000, random()),
    'the phone falls silent': async (random, point) => {
      phone.stallAfter(point);
      await new Promise((resolve) => setTimeout(resolve, random() % 1200));
      phone.endStall();
    },
    'the phone starts anew': async (random) => {
      await new Promise((resolve) => setTimeout(resolve, random() % 1500));
      void phone.start(mode);
    },
    'the program ends': async (random) => {
      await new Promise((resolve) => setTimeout(resolve, random() % 2500));
      await app.close();
      app = await open();
    },
  };

  /** On every run of the tests some of them, each over one of the links. */
  const struck = Object.entries(faults).filter((_, i) => isLong || i % 4 === (mode === 'recovery' ? 0 : 1));

  it.each(struck)(
    `when %s, at ${seeds} points, ends proved or says what next`,
    async (name, strike) => {
      const bytes = picked.reduce((sum, each) => sum + deviceOf(each).bytes, 0);
      for (let seed = 1; seed <= seeds; seed++) {
        const random = generator(seed * 104_729 + name.length);
        for (let n = 0; n < 8; n++) random();
        await spoil(random);
        const id = await start();
        await strike(random, random() % bytes);
        const run = await app.engine.ended(id);
        const words = `${name} ${seed}: ${run.outcome}`;
        phone.flash.faults.clear();
        if (run.state === 'done') await expectPutBack();
        else {
          expect(['interrupted', 'failed'], words).toContain(run.state);
          expect(run.outcome).toMatch(/[Rr]esume|put it back|Start it again/);
          // What is not right is known not to be, or was never begun.
          const half = halfWritten(app.unfinished, serial);
          for (const step of run.steps) {
            if (!step.text.startsWith('Write') || step.state !== 'done') continue;
            expect(await digestOf(step.partition!), words).toBe(truth.get(step.partition!));
            expect(half.has(step.partition!)).toBe(false);
          }
          await mend();
          const next = run.canResume ? (await resumeRun(app, id)).id : await start();
          const ended = await app.engine.ended(next);
          expect(ended.state, `${words} / ${ended.outcome}`).toBe('done');
          await expectPutBack();
        }
        await mend();
      }
      expect(halfWritten(app.unfinished, serial).size).toBe(0);
    },
    900_000,
  );
});
