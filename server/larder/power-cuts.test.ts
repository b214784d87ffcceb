// The power goes while sets are kept, renamed, binned and deleted: at any moment, with all, none or some of what was not
// made durable on the disk. What was said to be kept is kept. Writes are watched by a library that is preloaded; what is
// whole is said by a reader that knows docs/shelf-format.md alone.
import { mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { filler } from '../../standin/firmware/filler.ts';
import { testFolder } from '../../testing/folder.ts';
import { LarderBench, type OpenLarder } from '../../testing/larder.ts';
import { numbersOf } from '../../testing/numbers.ts';
import {
  afterPowerCut,
  journalOf,
  layOut,
  toldAt,
  toldFile,
  type Change,
  type KeptSet,
  type Luck,
} from '../../testing/power/power-cut.ts';
import { wholeSets } from '../../testing/shelf-checker.ts';
import { openDatabase } from '../database/open.ts';
import { ShelfWorkers } from '../shelf/threads/workers.ts';
import { Snapshots } from './snapshots.ts';

const seconds = Number(process.env['KEEN_LARDER_FAULT_SECONDS'] ?? 0);
/** Power cuts of each of the first stories, and how many stories there are at least. */
const cutsOfStory = seconds > 0 ? 120 : 12;
const fewest = 12;
const lucks: readonly Luck[] = ['all', 'none', 'some'];
const folder = testFolder();
const workers = new ShelfWorkers();
afterAll(async () => {
  await workers.close();
  folder.remove();
});

const number = numbersOf(7);

async function judge(
  home: string,
  isLost: boolean,
  changes: readonly Change[],
  moment: number,
): Promise<void> {
  const { sets, touched } = toldAt(changes, moment) ?? { sets: {}, touched: [] };
  const kept = Object.entries(sets).filter(([id]) => !touched.includes(id));
  const shelf = join(home, 'shelf');
  mkdirSync(shelf, { recursive: true });
  const onShelf = kept.length > 0 ? wholeSets(shelf) : new Map<string, boolean>();
  for (const [id] of kept) expect([id, onShelf.get(id)]).toEqual([id, true]);
  // A manifest is there only where everything it names is.
  for (const each of onShelf) expect(each).toEqual([each[0], true]);

  const catalogue = join(home, 'catalogue.sqlite');
  if (isLost) {
    for (const log of ['', '-wal', '-shm']) rmSync(`${catalogue}${log}`, { force: true });
    await new Snapshots(shelf, Date.now).restoreTo(catalogue);
  }
  const bench = new LarderBench({ path: home, remove: () => undefined }, workers);
  try {
    const open = await bench.open(openDatabase(catalogue));
    if (isLost) await open.larder.rebuild();
    for (const [id, set] of kept) await requireKept(bench, open, id, set);
    // What was under way is there as it was before or as it is after, or not at all; it can be worked on.
    const id = await bench.keep(open, 'afterwards', { boot: filler('program', 99, 5000) });
    await requireKept(bench, open, id, { label: 'afterwards', note: '', seed: 99, bytes: 5000 });
  } finally {
    await bench.close();
  }
}

async function requireKept(bench: LarderBench, open: OpenLarder, id: string, set: KeptSet): Promise<void> {
  expect(open.larder.detail(id)).toMatchObject({ label: set.label, note: set.note, complete: true });
  const read = await bench.read(open, id, 'boot');
  expect([id, read.equals(filler('program', set.seed, set.bytes))]).toEqual([id, true]);
}

it(
  'what is said to be kept outlives a power cut at any moment',
  async () => {
    const until = performance.now() + seconds * 1000;
    let cuts = 0;
    for (let seed = 1; cuts < fewest || performance.now() < until; seed++) {
      const home = join(folder.path, `home-${seed}`);
      const keeping = join(import.meta.dirname, '../../testing/power/keeping.ts');
      const program = ['--import', 'tsx', keeping, home, String(seed)];
      const changes = journalOf(folder.path, home, program).filter(({ path }) => !path.endsWith('-shm'));
      expect(changes.filter(({ op }) => op === 'sync').length).toBeGreaterThan(50);
      for (let i = 0; i < cutsOfStory; i++) {
        const moment = number(changes.length + 1);
        const luck = lucks[i % lucks.length]!;
        const isLost = number(4) === 0;
        const after = join(folder.path, 'after');
        rmSync(after, { recursive: true, force: true });
        const files = afterPowerCut(changes, moment, luck, number);
        layOut(new Map([...files].filter(([path]) => !path.endsWith(toldFile))), home, after);
        await judge(after, isLost, changes, moment).catch((error: unknown) => {
          throw new Error(
            `story ${seed}, ${luck} after change ${moment} of ${changes.length}${isLost ? ', catalogue lost' : ''}: ${(error as Error).message}`,
            { cause: error },
          );
        });
        cuts++;
      }
      rmSync(home, { recursive: true, force: true });
    }
    process.stdout.write(`${cuts} power cuts\n`);
  },
  20 * 60_000,
);
