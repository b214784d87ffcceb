import { setTimeout as pause } from 'node:timers/promises';
import { describe, expect, it } from 'vitest';
import { inPairs, untilTaken } from './in-pairs.ts';

async function* counting(to: number): AsyncGenerator<number> {
  for (let i = 0; i < to; i++) {
    await Promise.resolve();
    yield i;
  }
}
/** Ends when told to stop, with the reason. */
const untilStopped = (stop: AbortSignal) =>
  new Promise<void>((_, reject) => {
    const end = () => reject(stop.reason as Error);
    if (stop.aborted) end();
    else stop.addEventListener('abort', end, { once: true });
  });

describe('works of which the next begins while one ends', () => {
  it('go on in order, two at most', async () => {
    const underWay = new Set<number>();
    const told: string[] = [];
    let most = 0;
    await inPairs(counting(6), undefined, async (item, taken) => {
      underWay.add(item);
      most = Math.max(most, underWay.size);
      told.push(`begins ${item}`);
      await pause(1);
      taken();
      await pause(10);
      underWay.delete(item);
    });
    expect(most).toBe(2);
    expect(told).toEqual([0, 1, 2, 3, 4, 5].map((item) => `begins ${item}`));
    expect(underWay.size).toBe(0);
  });

  it('do not begin before the one before them was taken', async () => {
    const told: string[] = [];
    await inPairs(counting(3), undefined, async (item, taken) => {
      const parts = untilTaken(counting(3), () => {
        told.push(`taken ${item}`);
        taken();
      });
      for await (const part of parts) told.push(`${item}: ${part}`);
    });
    expect(told.join(', ')).toBe(
      '0: 0, 0: 1, 0: 2, taken 0, 1: 0, 1: 1, 1: 2, taken 1, 2: 0, 2: 1, 2: 2, taken 2',
    );
  });

  it('are stopped by the first that fails, also while a later one is being taken', async () => {
    const ended: string[] = [];
    const run = inPairs(counting(5), undefined, async (item, taken, stop) => {
      if (item === 0) {
        taken();
        await pause(10);
        throw new Error('worn');
      }
      await untilStopped(stop).catch((error: unknown) => {
        ended.push(`${item} ${(error as Error).message}`);
        throw error;
      });
    });
    await expect(run).rejects.toThrow('worn');
    expect(ended).toEqual(['1 worn']);
  });

  it('end by the signal, all of them', async () => {
    const signal = new AbortController();
    let underWay = 0;
    const run = inPairs(counting(5), signal.signal, async (_, taken, stop) => {
      underWay++;
      taken();
      await untilStopped(stop).finally(() => underWay--);
    });
    setTimeout(() => signal.abort(new Error('cancelled')), 5);
    await expect(run).rejects.toThrow('cancelled');
    expect(underWay).toBe(0);
  });

  it('fail as what they are made from fails', async () => {
    const items = async function* () {
      yield* counting(2);
      throw new Error('a damaged image');
    };
    let ended = 0;
    const run = inPairs(items(), undefined, async (_, taken) => {
      taken();
      await pause(3);
      ended++;
    });
    await expect(run).rejects.toThrow('a damaged image');
    expect(ended).toBe(2);
  });
});
