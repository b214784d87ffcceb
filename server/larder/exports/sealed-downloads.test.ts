import { describe, expect, it, vi } from 'vitest';
import { SealedDownloads } from './sealed-downloads.ts';

describe('a ticket of a sealed download', () => {
  it('is good once, for its set', () => {
    const downloads = new SealedDownloads<string>();
    const ticket = downloads.issue('a', 'request');
    expect(() => downloads.take(ticket, 'b')).toThrow(/once and for a minute/);
    expect(() => downloads.take(ticket, 'a')).toThrow(/once and for a minute/);
    const other = downloads.issue('a', 'request');
    expect(downloads.take(other, 'a')).toBe('request');
    expect(() => downloads.take(other, 'a')).toThrow(/once and for a minute/);
  });

  it('is good for a minute, and the oldest goes where many wait', () => {
    vi.useFakeTimers();
    const downloads = new SealedDownloads<number>();
    const first = downloads.issue('a', 1);
    vi.advanceTimersByTime(60_001);
    vi.useRealTimers();
    expect(() => downloads.take(first, 'a')).toThrow();
    const all = Array.from({ length: 33 }, (_, i) => downloads.issue('a', i));
    expect(() => downloads.take(all[0]!, 'a')).toThrow();
    expect(downloads.take(all[1]!, 'a')).toBe(1);
    expect(downloads.take(all[32]!, 'a')).toBe(32);
  });
});
