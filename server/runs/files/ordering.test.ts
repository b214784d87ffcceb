// The rules for keeping, carried out by themselves: a run that says what went.
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { openOn, testFolder } from '../../../testing/bench.ts';
import { LarderBench } from '../../../testing/larder.ts';
import { startOrdering } from './ordering.ts';

const day = 86_400_000;
const folder = testFolder();
const bench = new LarderBench();
const app = await openOn(join(folder.path, 'home'), undefined, { now: () => bench.clock.wall });
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

it('puts into the bin what nothing keeps, says so, and is over until the next time', async () => {
  const { larder } = app;
  for (let week = 0; week < 4; week++) {
    const images = { boot: randomBytes(9000), ...(week === 0 && { efs: randomBytes(9000) }) };
    const id = await bench.keep({ larder, shelf: larder.shelf }, `week ${week}`, images);
    if (week === 1) await larder.change(id, { pinned: true });
    bench.pass(7 * day);
  }
  app.order.change({ rules: { newest: 1, months: 0 } });
  app.orderTimer.change('day');
  await app.orderTimer.step();
  expect(app.engine.list()).toEqual([]);

  bench.pass(2 * day);
  await app.orderTimer.step();
  const [run] = app.engine.list();
  expect(run).toMatchObject({
    kind: 'ordering',
    state: 'done',
    title: 'Put 1 set into the bin, by the rules for keeping',
    outcome: '1 set put into the bin. Within 30 days each can be taken back there.',
    steps: [{ text: 'Let go of week 2', result: 'in the bin for 30 days' }],
  });
  // The newest, the pinned one, and that with the last identity stay.
  const stays = larder.list().filter(({ binnedAt }) => binnedAt === undefined);
  expect(stays.map(({ label }) => label)).toEqual(['week 3', 'week 1', 'week 0']);
  expect(await startOrdering(app)).toBeUndefined();
});

it('leaves what was pinned meanwhile', async () => {
  const { larder, order, engine } = app;
  const id = await bench.keep({ larder, shelf: larder.shelf }, 'newest', { boot: randomBytes(9000) });
  const going = order.view().sets.filter(({ reasons }) => reasons.length === 0);
  expect(going.map(({ label }) => label)).toEqual(['week 3']);
  const run = await startOrdering(app);
  // What lies in the bin cannot be pinned.
  await larder.change(going[0]!.id, { pinned: true }).catch(() => undefined);
  const ended = await engine.ended(run!.id);
  const { binnedAt } = larder.list().find((set) => set.id === going[0]!.id)!;
  // Whichever of the two came first.
  expect([ended.steps[0]!.result, binnedAt === undefined]).toEqual(
    ended.steps[0]!.result === 'stays' ? ['stays', true] : ['in the bin for 30 days', false],
  );
  expect(larder.list().some((set) => set.id === id)).toBe(true);
});
