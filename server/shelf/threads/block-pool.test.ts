import { describe, expect, it } from 'vitest';
import { BlockPool, copyToShared } from './block-pool.ts';
import { counted } from '../../async/counted.ts';
import { storedBlockBytes } from '../packs/sealed-record.ts';

describe('a pool of blocks', () => {
  it('gives no more than it has, and serves those who wait in their order', async () => {
    const pool = new BlockPool(2);
    const [first, second] = [await pool.take(), await pool.take()];
    expect(first).not.toBe(second);
    expect(first.byteLength).toBe(storedBlockBytes);
    const served: string[] = [];
    const waiting = ['a', 'b'].map(async (name) => {
      const memory = await pool.take();
      served.push(name);
      return memory;
    });
    await Promise.resolve();
    expect(served).toEqual([]);
    pool.giveBack(first);
    expect(await waiting[0]).toBe(first);
    expect(served).toEqual(['a']);
    pool.giveBack(second);
    expect(await waiting[1]).toBe(second);
    expect(served).toEqual(['a', 'b']);
  });

  it('is filled at any place, also with nothing', () => {
    const memory = new SharedArrayBuffer(16);
    copyToShared(memory, 3, Uint8Array.of(7, 8, 9));
    copyToShared(memory, 0, new Uint8Array());
    expect([...new Uint8Array(memory)]).toEqual([0, 0, 0, 7, 8, 9, ...new Array<number>(10).fill(0)]);
  });
});

describe('counting a stream', () => {
  it('tells a piece when it has been taken, not when it was made', async () => {
    const told: number[] = [];
    const source = (async function* () {
      yield await Promise.resolve(new Uint8Array(3));
      yield new Uint8Array(5);
    })();
    const parts = counted(source, (bytes) => told.push(bytes));
    await parts.next();
    expect(told).toEqual([]);
    await parts.next();
    expect(told).toEqual([3]);
    expect((await parts.next()).done).toBe(true);
    expect(told).toEqual([3, 5]);
  });
});
