// Phones that send nonsense, without end, slowly, or half of it, on each kind of link: what is asked of them ends, with
// words; nothing else is held up; what is kept is whole; and once they are themselves again they are there again.
import { setTimeout as pause } from 'node:timers/promises';
import { join } from 'node:path';
import pino from 'pino';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import {
  keepSet,
  putting,
  quick,
  serial as knot3,
  startKnot3,
  testFolder,
  until,
} from '../../testing/bench.ts';
import { Mangler, type Mangling } from '../../testing/faults/mangler.ts';
import { numbersOf } from '../../testing/numbers.ts';
import { mostHeldMs, Turns } from '../../testing/turns.ts';
import { wholeSets } from '../../testing/shelf-checker.ts';
import { Problem, traitsOf } from '../failures.ts';
import { openKeenLarder, type KeenLarder } from '../keen-larder.ts';
import { startImaging } from '../runs/imaging/imaging.ts';
import { startRestoring } from '../runs/restoring/restoring.ts';

const seconds = Number(process.env['KEEN_LARDER_FAULT_SECONDS'] ?? 0);
const fewest = 6;
const reed2 = 'MR2Q-44107';
const number = numbersOf(Number(process.env['KEEN_LARDER_FAULT_SEED'] ?? 11));
const folder = testFolder();
const home = join(folder.path, 'home');
/** Longer than this nothing that is asked of a phone may take, with all its attempts. */
const limitMs = 60_000;
const stallMs = 800;

let bench: PracticeBench;
let app: KeenLarder;
interface Way {
  readonly serial: string;
  readonly mode: 'recovery' | 'bootloader' | 'loader';
  readonly link: 'adb' | 'fastboot' | 'loader';
  readonly mangler: Mangler;
}
const ways: Way[] = [];
const unforeseen: string[] = [];
/** How runs ended. */
const told = new Set<string>();
let setId: string;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), [reed2]);
  const phoneOf = (serial: string) => bench.phones.find(({ identity }) => identity.serial === serial)!;
  for (const [serial, mode, link] of [
    [knot3, 'recovery', 'adb'],
    [knot3, 'bootloader', 'fastboot'],
    [reed2, 'loader', 'loader'],
  ] as const) {
    ways.push({ serial, mode, link, mangler: await Mangler.start(phoneOf(serial).state()[link]!, number) });
  }
  const log = pino(
    { level: 'error' },
    {
      write: (line: string) =>
        void unforeseen.push((JSON.parse(line) as { err?: { stack?: string } }).err?.stack ?? line),
    },
  );
  app = await openKeenLarder({
    ...quick,
    log,
    home,
    addresses: ways.map(({ link, mangler }) => `${link === 'adb' ? '' : `${link}:`}${mangler.address}`),
    retryPolicy: { stallMs, backoffMs: 20, tries: 2, awayMs: 2000 },
  });
  await phoneOf(knot3).start('recovery');
  await until('the phone', () => app.bench.linkIn(knot3, 'recovery') !== undefined);
  setId = await keepSet(app, 'kept before', ['boot']);
});
afterAll(async () => {
  await app.close();
  for (const { mangler } of ways) mangler.close();
  await bench.close();
  folder.remove();
});

function nextMangling(): Mangling {
  // The first bytes are the greeting; later ones are lists, and the contents of partitions.
  const after = [0, 10, 200, 3000, 40_000, 2_000_000][number(6)]! + number(100);
  const all: readonly Mangling[] = [
    { how: 'flip', after, oneIn: [4, 100, 5000][number(3)]! },
    { how: 'endless', after },
    { how: 'again', after },
    { how: 'slow', after, everyMs: 20 + number(400) },
    { how: 'gap', after, bytes: 1 + number(300) },
    { how: 'end', after },
  ];
  return all[number(all.length)]!;
}

/** Whatever comes of it, it comes soon, and is told in words. */
async function ends(what: string, work: () => Promise<unknown>): Promise<void> {
  let timer: NodeJS.Timeout;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new Error(`${what} did not end within ${limitMs} ms`)), limitMs);
  });
  const asked = work().catch((error: unknown) => {
    const isTold = error instanceof Problem || traitsOf(error).isExpected;
    if (!isTold) throw new Error(`${what}: ${(error as Error).stack}`, { cause: error });
  });
  await Promise.race([asked, late]).finally(() => clearTimeout(timer));
}

it(
  'a phone that sends what it should not ends what was asked of it, and nothing else',
  async () => {
    const until_ = performance.now() + seconds * 1000;
    const turns = new Turns();
    let steps = 0;
    let heldMs = 0;
    for (; steps < fewest || performance.now() < until_; steps++) {
      const { serial, mode, mangler } = ways[steps % ways.length]!;
      const phone = bench.phones.find(({ identity }) => identity.serial === serial)!;
      if (phone.state().mode !== mode) await phone.start(mode);
      await until(`${serial} in ${mode}`, () => app.bench.linkIn(serial, mode) !== undefined);
      const mangling = nextMangling();
      const said = `step ${steps}, ${mode}, ${JSON.stringify(mangling)}`;
      // Simulated phones live in this process: how long their own start takes is not measured.
      await pause(20);
      turns.take();
      mangler.set(mangling);
      // From the greeting on, or while something is under way.
      if (number(3) === 0) mangler.drop();
      await ends(`${said}: its partitions`, () => app.bench.partitions(serial));
      await ends(`${said}: its run`, async () => {
        const confirmed = ['identity-left-out', 'battery', 'two-ways', 'encrypted-user-data', 'half-written'];
        const run =
          mode === 'bootloader'
            ? await startRestoring(app, serial, putting(setId, ['boot'], { confirmed, restartAfter: false }))
            : await startImaging(app, serial, {
                picked: mode === 'recovery' ? ['boot', 'efs', 'misc'] : ['lk', 'logo'],
                label: `of step ${steps}`,
                confirmed,
              });
        told.add((await app.engine.ended(run.id)).state);
      });
      heldMs = Math.max(heldMs, turns.take());
      mangler.set({ how: 'none' });
      mangler.drop();
      await until(`${said}: the phone as it is`, () => app.bench.linkIn(serial) !== undefined);
      for (const each of wholeSets(join(home, 'shelf'))) expect(each).toEqual([each[0], true]);
      expect(unforeseen, said).toEqual([]);
    }
    turns.stop();
    expect(heldMs).toBeLessThan(mostHeldMs);
    process.stdout.write(
      `${steps} hostile phones, runs ${[...told].sort().join(', ')}; at most ${Math.round(heldMs)} ms held\n`,
    );
  },
  20 * 60_000,
);
