import { describe, expect, it } from 'vitest';
import { PayloadPool } from './payload-pool.ts';

const MiB = 1 << 20;

describe('memory for payloads', () => {
  it('is used again once it was given back', () => {
    const pool = new PayloadPool();
    const first = pool.take(MiB);
    const { buffer } = first;
    pool.giveBack(first);
    const second = pool.take(MiB - 4096);
    expect(second.buffer).toBe(buffer);
    expect(second.length).toBe(MiB - 4096);
    expect(pool.take(MiB).buffer).not.toBe(buffer);
  });

  it('is not pooled for what is small or larger than adb sends', () => {
    const pool = new PayloadPool();
    for (const bytes of [0, 24, 4096, MiB + 1]) {
      const payload = pool.take(bytes);
      expect(payload.length).toBe(bytes);
      pool.giveBack(payload);
      expect(pool.take(MiB).buffer).not.toBe(payload.buffer);
    }
  });

  it('does not take in what is not its own', () => {
    const pool = new PayloadPool();
    const strange = new Uint8Array(new ArrayBuffer(3 * MiB), MiB, MiB);
    pool.giveBack(strange);
    expect(pool.take(MiB).buffer).not.toBe(strange.buffer);
  });

  it('keeps a few and no more', () => {
    const pool = new PayloadPool();
    const many = Array.from({ length: 30 }, () => pool.take(MiB));
    for (const payload of many) pool.giveBack(payload);
    const own = new Set(many.map(({ buffer }) => buffer));
    const again = Array.from({ length: 30 }, () => pool.take(MiB)).filter(({ buffer }) => own.has(buffer));
    expect(again).toHaveLength(8);
  });
});
