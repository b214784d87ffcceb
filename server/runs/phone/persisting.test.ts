// Imaging through what goes wrong at a bench. Every fault of the simulated phone follows from its seed.
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it, vi } from 'vitest';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import {
  impatient,
  isIn,
  openOn,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
  whenItAnswers,
} from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import { PackWriter } from '../../shelf/packs/pack-writer.ts';
import { resumeImaging, startImaging } from '../imaging/imaging.ts';
import { startVerifying } from '../files/verifying.ts';
import { faultSeeds } from '../../../testing/effort.ts';

const folder = testFolder();
const home = join(folder.path, 'larder');
let phone: Phone;
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  phone = bench.phone;
  app = await openOn(home, bench, impatient);
  await toRecovery(app, phone);
});
afterEach(async () => {
  phone.flash.faults.clear();
  phone.endStall();
  phone.setCable(true);
  await until('the phone', isIn(app, 'recovery'));
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const start = async (label: string, picked: string[]) =>
  (
    await whenItAnswers(() =>
      startImaging(app, serial, {
        picked,
        label,
        readAll: true,
        confirmed: ['identity-left-out', 'battery'],
      }),
    )
  ).id;
const keep = async (label: string, picked: string[]) => app.engine.ended(await start(label, picked));
const stateOf = (id: string) => app.engine.view(id).state;
const log = (id: string) =>
  app.engine
    .logOf(id)
    .map(({ text }) => text)
    .join('\n');
const cableIn = () => phone.setCable(true);
const placeOf = (name: string) => {
  const found = phone.flash.list().find((each) => each.name === name)!;
  return { offset: found.startBytes, bytes: found.bytes };
};

/** What a set must hold: the very bytes of the phone, by the phone's own digest and by the shelf's. */
async function expectTrue(setId: string): Promise<void> {
  const set = app.larder.detail(setId);
  expect(set.complete).toBe(true);
  for (const { partition, bytes, sha256 } of set.images) {
    expect((await app.bench.access(serial).digest(partition, wholeOf(bytes))).hex).toBe(sha256);
  }
  expect(await app.engine.ended(startVerifying(app, [setId]).id)).toMatchObject({ state: 'done' });
}

describe('a cable that comes out', () => {
  it('is waited for, and the run goes on from where it was', async () => {
    phone.pullCableAfter(30 << 20);
    const id = await start('pulled', ['recovery', 'modem']);
    await until('the run to wait', () => stateOf(id) === 'waiting');
    expect(app.engine.view(id).waitingFor).toMatch(
      /Waiting for Ringing hut in recovery mode: check its cable/,
    );
    const { doneBytes } = app.engine.view(id);
    expect(doneBytes).toBeGreaterThan(8 << 20);
    cableIn();
    const run = await app.engine.ended(id);
    expect(run).toMatchObject({ state: 'done', doneBytes: run.bytes });
    expect(log(id)).toMatch(/is back in recovery mode/);
    expect(log(id)).not.toMatch(/read from its beginning/);
    await expectTrue(run.setId!);
  });

  it('is noticed to have let the partition change meanwhile', async () => {
    phone.pullCableAfter(30 << 20);
    const id = await start('changed', ['modem']);
    await until('the run to wait', () => stateOf(id) === 'waiting');
    await phone.flash.partition('modem')!.write(123_456, Buffer.from('another byte'));
    cableIn();
    const run = await app.engine.ended(id);
    expect(run).toMatchObject({ state: 'done', doneBytes: run.bytes });
    expect(log(id)).toMatch(/modem changed while the phone was away: it is read from its beginning/);
    await expectTrue(run.setId!);
  });

  it('that stays out leaves a run that can be resumed, also by a program started anew', async () => {
    phone.pullCableAfter(40 << 20);
    const run = await keep('resumed', ['persist', 'modem']);
    expect(run).toMatchObject({ state: 'interrupted', canResume: true, setId: undefined });
    expect(run.outcome).toMatch(/did not come back.*resume/s);
    expect(app.larder.labels(serial)).not.toContain('resumed');
    expect(readdirSync(join(home, 'shelf/packs')).filter((name) => name.endsWith('.part'))).toEqual([]);
    await app.close();
    app = await openOn(home, bench, impatient);
    // Emptying the bin frees what nothing names, and an unfinished set names what it has.
    await app.larder.bin.empty(0);
    cableIn();
    await toRecovery(app, phone);
    const resumed = await app.engine.ended((await resumeImaging(app, run.id)).id);
    expect(resumed.outcome).toMatch(/^2 images/);
    expect(resumed).toMatchObject({ state: 'done', doneBytes: resumed.bytes });
    expect(log(resumed.id)).toMatch(/[1-9][\d.]* MiB of modem are on the shelf already/);
    await expectTrue(resumed.setId!);
    expect(app.engine.view(run.id).canResume).toBe(false);
    expect(() => resumeImaging(app, run.id)).toThrow(/nothing is left/);
  });
});

describe('a phone that says nothing any more', () => {
  it('is asked again, and the run goes on', async () => {
    phone.stallAfter(20 << 20);
    const id = await start('stalled', ['modem']);
    await until('a second try', () => /has sent nothing/.test(log(id)));
    phone.endStall();
    const run = await app.engine.ended(id);
    expect(run.state).toBe('done');
    await expectTrue(run.setId!);
  });

  it('can be cancelled, and then nothing of it is kept to go on with', async () => {
    phone.stallAfter(8 << 20);
    const id = await start('stalled and cancelled', ['system']);
    await until('the first bytes', () => app.engine.view(id).doneBytes > 0);
    app.engine.cancel(id);
    expect(await app.engine.ended(id)).toMatchObject({ state: 'cancelled', canResume: false });
    phone.endStall();
    expect(await keep('after the stall', ['sbl1'])).toMatchObject({ state: 'done' });
  });
});

describe('pausing', () => {
  it('holds a run, which goes on where it was', async () => {
    const id = await start('paused', ['modem']);
    await until('some bytes', () => app.engine.view(id).doneBytes > 6 << 20);
    app.engine.pause(id);
    await until('the pause', () => stateOf(id) === 'paused');
    const { doneBytes } = app.engine.view(id);
    expect(doneBytes).toBeLessThan(app.engine.view(id).bytes);
    expect(() => app.engine.continue('none')).toThrow(/no such run/);
    app.engine.continue(id);
    const run = await app.engine.ended(id);
    expect(run).toMatchObject({ state: 'done', doneBytes: run.bytes });
    await expectTrue(run.setId!);
  });
});

describe('a queue', () => {
  it('begins the next run on a phone when the one before ended well, and not when it did not', async () => {
    const first = await start('first in line', ['modem']);
    const second = await start('second in line', ['persist']);
    expect(stateOf(second)).toBe('queued');
    expect(await app.engine.ended(first)).toMatchObject({ state: 'done' });
    expect(await app.engine.ended(second)).toMatchObject({ state: 'done' });
    const broken = await start('cancelled in line', ['system']);
    const behind = await start('behind it', ['persist']);
    app.engine.cancel(broken);
    expect(await app.engine.ended(behind)).toMatchObject({ state: 'cancelled' });
    expect(app.engine.view(behind).outcome).toMatch(/Not begun.*did not end well/);
    expect(app.larder.labels(serial)).not.toContain('behind it');
  });
});

describe('a full disk', () => {
  it('breaks a run off, which goes on once there is space', async () => {
    const { append } = PackWriter.prototype;
    let appended = 0;
    const full = vi.spyOn(PackWriter.prototype, 'append').mockImplementation(function (
      this: PackWriter,
      chunks,
    ) {
      if (++appended > 3) throw Object.assign(new Error('write'), { code: 'ENOSPC' });
      return append.call(this, chunks);
    });
    const run = await keep('too much', ['modem', 'system']).finally(() => full.mockRestore());
    expect(run).toMatchObject({ state: 'interrupted', canResume: true, setId: undefined });
    expect(run.outcome).toMatch(/^The disk of the shelf is full.*free some space, then resume the run/);
    expect(app.larder.labels(serial)).not.toContain('too much');
    expect(readdirSync(join(home, 'shelf/packs')).filter((name) => name.endsWith('.part'))).toEqual([]);
    const resumed = await app.engine.ended((await resumeImaging(app, run.id)).id);
    expect(resumed).toMatchObject({ state: 'done' });
    await expectTrue(resumed.setId!);
  });
});

describe('bytes that do not come out right', () => {
  const seeds = Array.from({ length: faultSeeds(1) }, (_, i) => i + 1);
  it.each(seeds)('a bad cable is found by the phone’s digest and read again (seed %i)', async (seed) => {
    phone.flash.faults.flip(12 << 20, seed);
    const run = await keep(`flaky cable ${seed}`, ['modem']);
    expect(run.state).toBe('done');
    expect(log(run.id)).toMatch(/chunks? (was|were) read again and now agree/);
    phone.flash.faults.clear();
    await expectTrue(run.setId!);
  });

  it('pages that cannot be read are named, the rest is kept, and the set is not complete', async () => {
    const at = placeOf('modem').offset;
    phone.flash.faults.set('worn', [
      { offset: at + 5 * 4096, bytes: 4096 },
      { offset: at + (9 << 20), bytes: 8192 },
    ]);
    const run = await keep('worn', ['persist', 'modem']);
    expect(run.state).toBe('incomplete');
    expect(run.outcome).toMatch(/not complete: modem at bytes 20480 to 24575, 9437184 to 9445375 did not/);
    const set = app.larder.detail(run.setId!);
    expect(set.complete).toBe(false);
    expect(set.images.map(({ unsettled }) => unsettled)).toEqual([
      undefined,
      [
        { offset: 20480, bytes: 4096 },
        { offset: 9437184, bytes: 8192 },
      ],
    ]);
    // All but those pages are the phone's bytes.
    phone.flash.faults.clear();
    const device = phone.flash.partition('modem')!;
    const kept = Buffer.alloc(12 << 20);
    const { readImage } = await import('../../shelf/image-reader.ts');
    let filled = 0;
    const range = { offset: 0, bytes: kept.length };
    for await (const part of readImage(app.larder.shelf, app.larder.image(set.id, 'modem'), range)) {
      filled += part.copy(kept, filled);
    }
    const truth = Buffer.from(await device.read(0, kept.length));
    truth.fill(0, 20480, 24576);
    truth.fill(0, 9437184, 9445376);
    expect(kept.equals(truth)).toBe(true);
    // What did not come out right does not count as kept.
    expect(
      (await app.bench.partitionViews(serial)).find(({ name }) => name === 'modem')!.kept?.setId,
    ).not.toBe(set.id);
  });

  it('pages that come out differently each time are named', async () => {
    const at = placeOf('persist').offset;
    phone.flash.faults.set('weak', [{ offset: at + (1 << 20), bytes: 4096 }]);
    const run = await keep('weak', ['persist']);
    expect(run.state).toBe('incomplete');
    expect(app.larder.detail(run.setId!).images[0]!.unsettled).toEqual([{ offset: 1 << 20, bytes: 262144 }]);
  });
});
