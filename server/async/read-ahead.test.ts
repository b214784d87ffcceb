import { expect, it } from 'vitest';
import { readAhead } from './read-ahead.ts';

const tick = () => new Promise((resolve) => setImmediate(resolve));

/** Numbers from 1 on, and what became of them. */
function counted(last: number) {
  const seen = { asked: 0, isOver: false };
  async function* numbers(): AsyncGenerator<number> {
    try {
      while (seen.asked < last) yield await Promise.resolve(++seen.asked);
    } finally {
      seen.isOver = true;
    }
  }
  return { seen, numbers: numbers() };
}

it('asks for a few ahead, and hands all out in their order', async () => {
  const { seen, numbers } = counted(6);
  const ahead = readAhead(numbers, 3);
  expect((await ahead.next()).value).toBe(1);
  for (let i = 0; i < 20; i++) await tick();
  expect(seen.asked).toBe(4);
  const rest: number[] = [];
  for await (const each of ahead) rest.push(each);
  expect(rest).toEqual([2, 3, 4, 5, 6]);
  expect(seen.isOver).toBe(true);
});

it('ends what it asks when nobody wants more', async () => {
  const { seen, numbers } = counted(100);
  for await (const each of readAhead(numbers, 2)) if (each === 3) break;
  for (let i = 0; i < 20; i++) await tick();
  expect(seen.isOver).toBe(true);
  expect(seen.asked).toBeLessThan(7);
});

it('throws what they throw, after what came before', async () => {
  async function* failing(): AsyncGenerator<number> {
    yield await Promise.resolve(1);
    throw new Error('torn');
  }
  const got: number[] = [];
  await expect(async () => {
    for await (const each of readAhead(failing(), 4)) got.push(each);
  }).rejects.toThrow('torn');
  expect(got).toEqual([1]);
});
