// Keeps, renames, bins and deletes sets in a home, and says before and after each act what holds now. It is run with
// testing/power/journal.c preloaded: HOME SEED.
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { openDatabase } from '../../server/database/open.ts';
import { Snapshots } from '../../server/larder/snapshots.ts';
import { filler } from '../../standin/firmware/filler.ts';
import { LarderBench } from '../larder.ts';
import { numbersOf } from '../numbers.ts';
import { toldFile, type KeptSet, type Told } from './power-cut.ts';

const [home, seed] = process.argv.slice(2) as [string, string];
const number = numbersOf(Number(seed));
const acts = 14;

const bench = new LarderBench({ path: home, remove: () => undefined });
const database = openDatabase(join(home, 'catalogue.sqlite'));
const open = await bench.open(database);
const { larder } = open;
const snapshots = new Snapshots(bench.shelfPath, () => bench.clock.wall);
const sets = new Map<string, KeptSet>();
let made = 0;

const tell = (told: Told) => appendFileSync(join(home, toldFile), `${JSON.stringify(told)}\n`);
const state = () => Object.fromEntries(sets);
/** @param touched sets that may be as before or as after while the act is under way */
async function act(touched: readonly string[], work: () => Promise<void>): Promise<void> {
  tell({ sets: state(), touched });
  await work();
  tell({ sets: state(), touched: [] });
}

async function keep(of: number): Promise<void> {
  const bytes = 1000 + (of % 4) * 190_000;
  const label = `set ${made++} of ${of}`;
  const id = await bench.keep(open, label, { boot: filler('program', of, bytes) });
  sets.set(id, { label, note: '', seed: of, bytes });
}

for (let i = 0; i < acts; i++) {
  const ids = [...sets.keys()];
  const one = ids[number(Math.max(1, ids.length))];
  const which = i < 2 || !one ? 0 : number(6);
  if (which <= 1) await act([], () => keep(1 + number(6)));
  else if (which === 2) {
    await act([one!], async () => {
      const change = { label: `renamed ${i}`, note: `note ${i}` };
      await larder.change(one!, change);
      sets.set(one!, { ...sets.get(one!)!, ...change });
    });
  } else if (which === 3) {
    await act([one!], async () => {
      await larder.change(one!, { binned: true });
      sets.delete(one!);
      await larder.bin.empty(0, true);
    });
  } else if (which === 4) await act([], () => snapshots.take(database, larder.shelf.seal));
  else {
    await act([one!], async () => {
      await larder.change(one!, { binned: true });
      await larder.change(one!, { binned: false });
    });
  }
}
await bench.close();
