// What the rules for keeping let go, and that nothing else goes.
import { randomBytes } from 'node:crypto';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { LarderBench, type OpenLarder } from '../../../testing/larder.ts';
import { copyStatements } from '../../database/copies.ts';
import { keepRuleStatements } from '../../database/upkeep/keep-rules.ts';
import { setStatements } from '../../database/sets.ts';
import { unfinishedStatements } from '../../database/unfinished.ts';
import { Order } from './order.ts';

const day = 86_400_000;
const serial = 'TW3K-10482';
const bench = new LarderBench();
let open: OpenLarder;
let order: Order;
let onCards: ReadonlyMap<string, number> = new Map();
const ids = new Map<string, string>();
const shared = randomBytes(3 << 20);

beforeAll(async () => {
  open = await bench.open();
  const { larder, shelf, database } = open;
  order = new Order({
    larder,
    shelf,
    sets: setStatements(database),
    unfinished: unfinishedStatements(database),
    copies: copyStatements(database),
    rules: keepRuleStatements(database),
    jobs: { openPhones: () => onCards },
    now: () => bench.clock.wall,
  });
  // One a week; each has the same system, a boot of its own, and the first one an identity partition.
  for (let week = 0; week < 8; week++) {
    const label = `week ${week}`;
    const images = {
      system: shared,
      boot: randomBytes(1 << 20),
      ...(week === 0 && { efs: randomBytes(4096) }),
    };
    ids.set(label, await bench.keep(open, label, images));
    bench.pass(7 * day);
  }
});
afterAll(() => bench.close());

const going = () =>
  order
    .view()
    .sets.filter(({ reasons }) => reasons.length === 0)
    .map(({ label }) => label)
    .sort();
const change = (newest: number, months: number, phone?: string) =>
  order.change({ rules: { newest, months }, ...(phone !== undefined && { serial: phone }) });

it('shows what would go by the usual rules, and why the rest stays', () => {
  const { rules, sets, exceptions } = order.view();
  expect({ rules, exceptions }).toEqual({ rules: { newest: 3, months: 6 }, exceptions: [] });
  const reasons = Object.fromEntries(sets.map((set) => [set.label, set.reasons]));
  expect(reasons['week 7']).toEqual(['one of the newest', 'the newest of 2026-12']);
  expect(reasons['week 0']).toEqual(['has the last efs']);

  expect(going()).not.toEqual([]);
  onCards = new Map([[serial, 12]]);
  expect(going()).toEqual([]);
  expect(order.view().sets[0]!.reasons).toContain('its phone is on job card 12');
  onCards = new Map();
  expect(reasons['week 4']).toEqual(['the newest of 2026-11']);
  expect(going()).toEqual(['week 1', 'week 2', 'week 3']);
});

it('keeps what is pinned, which cannot be deleted either, and the manifest says so', async () => {
  const id = ids.get('week 1')!;
  await open.larder.change(id, { pinned: true });
  expect(going()).toEqual(['week 2', 'week 3']);
  await expect(open.larder.change(id, { binned: true })).rejects.toThrow('This set is pinned.');
  expect(await open.shelf.manifests.read(id)).toMatchObject({ pinned: true });
  expect(open.larder.detail(id).pinned).toBe(true);
  await open.larder.change(id, { note: 'still' });
  expect(open.larder.detail(id).pinned).toBe(true);
});

it('goes by rules of one phone where it has some, until it has none again', () => {
  change(1, 0);
  expect(going()).toEqual(['week 2', 'week 3', 'week 4', 'week 5', 'week 6']);
  expect(change(4, 0, serial).exceptions).toEqual([
    { serial, nickname: 'Ringing hut', rules: { newest: 4, months: 0 } },
  ]);
  expect(going()).toEqual(['week 2', 'week 3']);
  order.change({ serial });
  expect(going()).toHaveLength(5);
  expect(() => change(1, 1, 'NOT-HERE')).toThrow('The larder knows no phone NOT-HERE.');
  order.change({});
  expect(order.view().rules).toEqual({ newest: 3, months: 6 });
});

it('puts into the bin what was shown, all of it or nothing', async () => {
  const [first, second] = [ids.get('week 2')!, ids.get('week 3')!];
  await expect(order.apply([first, ids.get('week 7')!])).rejects.toThrow(
    '“week 7” stays by now: one of the newest',
  );
  await expect(order.apply([first, 'gone'])).rejects.toThrow('not there any more');
  expect(going()).toEqual(['week 2', 'week 3']);
  const { bytes } = order.room();
  // What they share with others stays.
  expect(bytes).toBe(2 << 20);
  await order.apply([first, second]);
  expect(going()).toEqual([]);
  expect(order.room()).toEqual({ bytes: 0 });
  const stored = () => open.larder.shelfView().then(({ storedBytes }) => storedBytes);
  const before = await stored();
  await open.larder.bin.empty(0, true);
  expect(before - (await stored())).toBeGreaterThanOrEqual(bytes);
  expect((await bench.read(open, ids.get('week 7')!, 'system')).equals(shared)).toBe(true);
});

it('a pin is known again from the shelf alone', async () => {
  const other = await bench.open();
  expect(other.larder.list().find(({ label }) => label === 'week 1')?.pinned).toBe(true);
});
