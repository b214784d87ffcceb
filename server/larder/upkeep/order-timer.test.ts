// The rules for keeping are carried out by themselves, when it is time and nothing else is under way.
import { afterEach, beforeEach, expect, it } from 'vitest';
import { LarderBench, type OpenLarder } from '../../../testing/larder.ts';
import { settingStatements } from '../../database/shelves.ts';
import { OrderTimer } from './order-timer.ts';

const day = 86_400_000;
let bench: LarderBench;
let open: OpenLarder;
let timer: OrderTimer;
let mustWait: boolean;
let done: number[];
let fails: boolean;

const timerOn = ({ database }: OpenLarder) =>
  new OrderTimer({
    settings: settingStatements(database),
    now: () => bench.clock.wall,
    mustWait: () => mustWait,
    carryOut: () => {
      if (fails) return Promise.reject(new Error('the shelf went away'));
      done.push(bench.clock.wall);
      return Promise.resolve();
    },
  });

beforeEach(async () => {
  bench = new LarderBench();
  open = await bench.open();
  [mustWait, fails, done] = [false, false, []];
  timer = timerOn(open);
});
afterEach(() => bench.close());

it('does nothing unless it is asked to', async () => {
  expect(timer.view()).toEqual({ rhythm: 'never', nextAt: undefined });
  bench.pass(400 * day);
  await timer.step();
  expect(done).toEqual([]);
});

it('comes when its time has come, once, and waits for runs and for the shelf', async () => {
  timer.change('week');
  const { nextAt } = timer.view();
  expect(nextAt! - bench.clock.wall).toBeLessThanOrEqual(8 * day);
  await timer.step();
  expect(done).toEqual([]);
  bench.pass(8 * day);
  mustWait = true;
  await timer.step();
  expect(done).toEqual([]);
  mustWait = false;
  await timer.step();
  await timer.step();
  expect(done).toEqual([bench.clock.wall]);
  expect(timer.view().nextAt).toBeGreaterThan(bench.clock.wall);
});

it('is made up for where the program was off, and tried again where it did not succeed', async () => {
  timer.change('day');
  bench.pass(5 * day);
  const started = timerOn(open);
  fails = true;
  await expect(started.step()).rejects.toThrow(/went away/);
  fails = false;
  await started.step();
  expect(done).toHaveLength(1);
});
