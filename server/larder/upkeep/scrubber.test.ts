// What is stored is read again before it is needed.
import { randomBytes } from 'node:crypto';
import { closeSync, openSync, readdirSync, renameSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { LarderBench, type OpenLarder } from '../../../testing/larder.ts';
import { chunkStatements } from '../../database/chunks.ts';
import { copyStatements } from '../../database/copies.ts';
import { setStatements } from '../../database/sets.ts';
import { scrubFindingStatements } from '../../database/upkeep/scrub-findings.ts';
import { Scrubber } from './scrubber.ts';

const day = 86_400_000;
let bench: LarderBench;
let open: OpenLarder;
let scrubber: Scrubber;
let told: string[];
let isBusy: boolean;

beforeEach(async () => {
  bench = new LarderBench();
  open = await bench.open();
  [told, isBusy] = [[], false];
  const { database, shelf } = open;
  scrubber = new Scrubber({
    shelf,
    chunks: chunkStatements(database),
    sets: setStatements(database),
    copies: copyStatements(database),
    findings: scrubFindingStatements(database),
    now: () => bench.clock.wall,
    isBusy: () => isBusy,
    onDamage: (names) => told.push(...names),
  });
  await bench.keep(open, 'first', { boot: randomBytes(700_000), efs: Buffer.alloc(9000, 1) });
  bench.pass(10 * day);
  await bench.keep(open, 'second', { boot: randomBytes(500_000) });
});
afterEach(async () => {
  await scrubber.stop();
  await bench.close();
});

const packs = () => readdirSync(open.shelf.packFolder).map((name) => join(open.shelf.packFolder, name));
const damageOf = (label: string) => {
  const { id } = open.larder.list().find((set) => set.label === label)!;
  return open.larder
    .detail(id)
    .images.filter(({ damage }) => damage !== undefined)
    .map(({ partition }) => partition);
};

it('reads what was not read for longest, once it is due, and then rests', async () => {
  expect(await scrubber.step()).toBeUndefined();
  expect(scrubber.view()).toMatchObject({ days: 30, dueBytes: 0, damagedChunks: 0 });
  bench.pass(21 * day);
  const { dueBytes } = scrubber.view();
  expect(dueBytes).toBeGreaterThan(700_000);
  expect(await scrubber.step()).toBe(dueBytes);
  expect(await scrubber.step()).toBeUndefined();
  bench.pass(15 * day);
  expect(await scrubber.step()).toBeGreaterThan(500_000);
  expect(told).toEqual([]);
});

it('names the sets that a flipped bit hurts, and no others', async () => {
  for (const path of packs()) {
    const file = openSync(path, 'r+');
    writeSync(file, Buffer.from([0x5a, 0xa5]), 0, 2, 300_000);
    closeSync(file);
    break;
  }
  bench.pass(60 * day);
  while ((await scrubber.step()) !== undefined);
  expect(told).toHaveLength(1);
  const [label] = told.map((each) => each.slice(1, -1));
  expect(damageOf(label!)).toEqual(['boot']);
  expect(damageOf(label === 'first' ? 'second' : 'first')).toEqual([]);
  const hurt = open.larder.list().find((set) => set.label === label)!;
  const finding = { chunks: 1, sets: [{ id: hurt.id, label }], copyCount: 0, goodAt: undefined };
  expect(scrubber.view()).toMatchObject({ damagedChunks: 1, findings: [finding] });
  expect(open.larder.list().find((set) => set.label === label)!.damaged).toBe(true);
});

it('tries a pack that is missing once a day, and knows it again when it is back', async () => {
  const [path] = packs() as [string];
  renameSync(path, `${path}.away`);
  bench.pass(60 * day);
  while ((await scrubber.step()) !== undefined);
  expect(told.length).toBeGreaterThan(0);
  expect(await scrubber.step()).toBeUndefined();
  renameSync(`${path}.away`, path);
  bench.pass(2 * day);
  expect(await scrubber.step()).toBeGreaterThan(0);
  expect(scrubber.view()).toMatchObject({ damagedChunks: 0, findings: [{ goodAt: bench.clock.wall }] });
});

it('goes on by itself while no run is under way, and ends with the program', async () => {
  bench.pass(60 * day);
  isBusy = true;
  scrubber.start();
  await new Promise((resolve) => setTimeout(resolve, 50));
  expect(scrubber.view().dueBytes).toBeGreaterThan(0);
  await scrubber.stop();
  const { database, shelf } = open;
  const other = new Scrubber({
    shelf,
    chunks: chunkStatements(database),
    sets: setStatements(database),
    copies: copyStatements(database),
    findings: scrubFindingStatements(database),
    now: () => bench.clock.wall,
    isBusy: () => false,
    onDamage: () => undefined,
  });
  other.start();
  await expect.poll(() => other.view().dueBytes, { timeout: 20_000 }).toBe(0);
  await other.stop();
});
