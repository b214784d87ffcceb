// Everything is imaged, the flash is spoiled at random, everything goes back: bit for bit what it was.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import { filler, generator } from '@keen-larder/standin/firmware/filler.ts';
import type { Flash } from '@keen-larder/standin/flash/flash.ts';
import { putting, quick, serial as knot3, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { startImaging } from '../imaging/imaging.ts';
import { startRestoring } from './restoring.ts';
import { digestOnFlash } from '../../../testing/digests.ts';
import { isLong } from '../../../testing/effort.ts';

/** One on every run of the tests, all five with `npm run kills`. */
const all = [
  { serial: 'TW5K-20316', mode: 'recovery' },
  { serial: 'MR2Q-44107', mode: 'loader' },
  { serial: 'MS10-70055', mode: 'recovery' },
  { serial: knot3, mode: 'recovery' },
  { serial: 'TW3K-10517', mode: 'recovery' },
] as const;
const phones = isLong ? all : all.slice(1, 2);
/** The largest go with `npm run kills`; what the cache holds, nobody keeps. */
const left = isLong ? ['cache'] : ['cache', 'system', 'userdata'];

const folder = testFolder();
let bench: PracticeBench;
let app: KeenLarder;
beforeAll(async () => {
  bench = await startKnot3(
    join(folder.path, 'phones'),
    phones.map(({ serial }) => serial),
  );
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'larder'),
    addresses: bench.phones.flatMap((each) => addressesOf(each.state())),
    pollMs: 30,
  });
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

/** Of everything that is kept, and of the boot area outside the table. */
async function digestsOf(flash: Flash): Promise<Map<string, string>> {
  const found = new Map<string, string>();
  for (const { name } of flash.list()) {
    if (!left.includes(name)) found.set(name, await digestOnFlash(flash.partition(name)!));
  }
  if (flash.earlyLoader) found.set('preloader', await digestOnFlash(flash.earlyLoader));
  return found;
}

it.each(phones)(
  '$serial, through $mode',
  async ({ serial, mode }) => {
    const phone = bench.phones.find(({ identity }) => identity.serial === serial)!;
    void phone.start(mode);
    await until(mode, () => app.bench.linkIn(serial, mode) !== undefined);
    const before = await digestsOf(phone.flash);
    const names = (await app.bench.partitions(serial))
      .filter(({ name, archive }) => !archive && !left.includes(name))
      .map(({ name }) => name);
    const confirmed = ['battery', 'two-ways', 'encrypted-user-data'];
    const kept = await startImaging(app, serial, { picked: names, label: 'everything', confirmed });
    const { state, outcome, setId } = await app.engine.ended(kept.id);
    expect(state, outcome).toBe('done');

    const random = generator(serial.length * 7919 + serial.charCodeAt(5));
    for (const name of before.keys()) {
      // What is never written is not spoiled either.
      if (name === 'frp') continue;
      const device = name === 'preloader' ? phone.flash.earlyLoader! : phone.flash.partition(name)!;
      const bytes = Math.min(device.bytes, 16_384);
      const at = (random() % Math.floor(device.bytes / bytes)) * bytes;
      await device.write(at, filler('program', random(), bytes));
    }
    const spoiled = await digestsOf(phone.flash);
    expect([...before.keys()].filter((name) => spoiled.get(name) === before.get(name))).toEqual(['frp']);

    const puts = names.filter((name) => !/^(frp|gpt-)/.test(name));
    const start = putting(
      setId!,
      puts,
      { restartAfter: false, confirmed: ['battery', 'will-wipe', 'boot-forecast'] },
      serial,
    );
    const run = await app.engine.ended((await startRestoring(app, serial, start)).id);
    expect(run.state, run.outcome).toBe('done');
    expect(await digestsOf(phone.flash)).toEqual(before);
    void phone.start('system');
    await until('the system', () => phone.state().mode === 'system');
  },
  600_000,
);
