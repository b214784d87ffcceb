// What is told of the sets after many changes is what is told by one who reads all of them anew.
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { LarderBench, type OpenLarder } from '../../testing/larder.ts';
import { numbersOf } from '../../testing/numbers.ts';
import { phoneStatements } from '../database/phones.ts';
import { setStatements, type SetStatements } from '../database/sets.ts';
import { SetList } from './set-views.ts';

const bench = new LarderBench();
let open: OpenLarder;
let sets: SetStatements;
beforeAll(async () => {
  open = await bench.open();
  sets = setStatements(open.database);
});
afterAll(() => bench.close());

const byTime = (views: Iterable<SetView>) =>
  [...views].sort((a, b) => b.createdAt - a.createdAt || (a.id < b.id ? -1 : 1));

it('is told change by change', async () => {
  const number = numbersOf(5);
  const list = new SetList(sets);
  /** As a browser has it, which asks now and then. */
  const known = new Map<string, SetView>();
  let revision: number | undefined;
  const { larder, database } = open;
  const boot = Buffer.alloc(1000, 1);
  const acts: ((id: string) => unknown)[] = [
    (id) => larder.change(id, { note: `note ${number(1000)}` }),
    // What is pinned is not deleted.
    (id) => larder.change(id, { pinned: number(2) === 1 }).catch(() => undefined),
    (id) => larder.change(id, { binned: number(2) === 1 }).catch(() => undefined),
    (id) => sets.damaged(id, 'boot', 'it is damaged'),
    (id) => sets.recordVerification(id, number(1000), [{ partition: 'boot', damage: null }]),
    () => phoneStatements(database).rename('TW3K-10482', `Name ${number(5)}`),
    (id) => sets.remove(id),
    () => bench.keep(open, `set ${number(10_000)}`, { boot }),
  ];
  for (let i = 0; i < 4; i++) await bench.keep(open, `first ${i}`, { boot });
  let deltas = 0;
  for (let step = 0; step < 120; step++) {
    const ids = sets.allIds();
    if (ids.length < 2) await bench.keep(open, `more ${step}`, { boot });
    else await acts[number(acts.length)]!(ids[number(ids.length)]!);
    if (number(3) > 0) continue;
    const told = list.since(revision);
    if (told.isWhole) known.clear();
    else deltas++;
    for (const id of told.removed) known.delete(id);
    for (const view of told.sets) known.set(view.id, view);
    ({ revision } = told);
    const anew = new SetList(sets).all();
    expect(list.all()).toEqual(anew);
    expect(byTime(known.values())).toEqual(anew);
  }
  expect(deltas).toBeGreaterThan(20);
  // Nothing is told twice.
  ({ revision } = list.since(revision));
  expect(list.since(revision)).toMatchObject({ isWhole: false, sets: [], removed: [] });
  // One who knows of a catalogue that was another, or of long ago, is told everything.
  for (const other of [revision + 1, 0, undefined])
    expect(list.since(other)).toMatchObject({ isWhole: true, sets: list.all() });
});
