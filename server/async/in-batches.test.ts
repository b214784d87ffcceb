import { setTimeout as pause } from 'node:timers/promises';
import { expect, it } from 'vitest';
import { inBatches } from './in-batches.ts';

async function* counting(to: number, pauseAt: readonly number[] = [], failAt?: number) {
  for (let i = 0; i < to; i++) {
    if (pauseAt.includes(i)) await pause(20);
    if (i === failAt) throw new Error('It broke.');
    yield i;
  }
}
async function all<T>(batches: AsyncIterable<readonly T[]>): Promise<T[][]> {
  const found: T[][] = [];
  for await (const batch of batches) found.push([...batch]);
  return found;
}
const never = () => false;

it('hands on together what is there, and waits for nothing else', async () => {
  expect(await all(inBatches(counting(6, [2, 5]), never))).toEqual([[0, 1], [2, 3, 4], [5]]);
  expect(await all(inBatches(counting(5), (batch) => batch.length === 2))).toEqual([[0, 1], [2, 3], [4]]);
  expect(await all(inBatches(counting(0), never))).toEqual([]);
});

it('hands on what came before an error, then throws it', async () => {
  const found: number[][] = [];
  const reading = (async () => {
    for await (const batch of inBatches(counting(5, [], 3), never)) found.push([...batch]);
  })();
  await expect(reading).rejects.toThrow('It broke.');
  expect(found.flat()).toEqual([0, 1, 2]);
});

it('ends its source when it is left', async () => {
  let ended = false;
  async function* endless() {
    try {
      for (let i = 0; ; i++) yield await Promise.resolve(i);
    } finally {
      ended = true;
    }
  }
  for await (const batch of inBatches(endless(), (each) => each.length === 3)) if (batch.length === 3) break;
  await pause(10);
  expect(ended).toBe(true);
});
