import { setImmediate } from 'node:timers/promises';
import { expect, it } from 'vitest';
import { recorded } from './recorded.ts';

async function* numbers(count: number, breaksAt = Infinity): AsyncGenerator<number> {
  for (let i = 0; i < count; i++) {
    await setImmediate();
    if (i === breaksAt) throw new Error('It broke off.');
    yield i;
  }
}
async function all<T>(items: AsyncIterable<T>): Promise<T[]> {
  const found: T[] = [];
  for await (const item of items) found.push(item);
  return found;
}

it('gives everyone all items, whenever they ask', async () => {
  const items = recorded(numbers(5));
  const [first, second] = await Promise.all([all(items), all(items)]);
  expect(first).toEqual([0, 1, 2, 3, 4]);
  expect(second).toEqual(first);
  expect(await all(items)).toEqual(first);
});

it('ends where they break off', async () => {
  const items = recorded(numbers(5, 3));
  expect(await all(items)).toEqual([0, 1, 2]);
  expect(await all(items)).toEqual([0, 1, 2]);
});

it('takes them before anybody asks', async () => {
  let given = 0;
  async function* counted() {
    for await (const each of numbers(3)) {
      given++;
      yield each;
    }
  }
  recorded(counted());
  for (let i = 0; i < 10; i++) await setImmediate();
  expect(given).toBe(3);
});
