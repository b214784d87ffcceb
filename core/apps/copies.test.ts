import { describe, expect, it } from 'vitest';
import { changeSince, stampTexts, type CopiedApp, type DataFile } from './copies.ts';
import type { DataStamp } from './data-stamp.ts';

const file = (path: string, bytes = 10, modifiedAt = 100): DataFile => ({ path, bytes, modifiedAt });

describe('how an app’s data looks', () => {
  it('does not hang on the order of its files, nor on its caches', () => {
    const one = stampTexts([file('data/b'), file('data/a'), file('data/cache/x'), file('data/code_cache/y')]);
    expect(one).toEqual(stampTexts([file('data/a'), file('data/.keen-larder-next/z'), file('data/b')]));
    expect(one.full).toBe('10 100 data/a\n10 100 data/b');
  });

  it('tells times apart from sizes', () => {
    const [one, other] = [stampTexts([file('data/a')]), stampTexts([file('data/a', 10, 101)])];
    expect(one.full).not.toBe(other.full);
    expect(one.sizes).toBe(other.sizes);
  });
});

describe('an app since its newest copy', () => {
  const stamp = (full: string, sizes: string): DataStamp => ({ full, sizes });
  const kept = { versionCode: 41, stamp: stamp('f', 's') } as CopiedApp;
  it.each([
    ['is as kept', { versionCode: 41, stamp: stamp('f', 's') }, kept, 'as-kept'],
    ['was never kept', { versionCode: 41 }, undefined, 'never'],
    ['has another version', { versionCode: 42, stamp: stamp('f', 's') }, kept, 'changed'],
    ['has other sizes', { versionCode: 41, stamp: stamp('g', 't') }, kept, 'changed'],
    ['has other times alone', { versionCode: 41, stamp: stamp('g', 's') }, kept, 'doubt'],
    [
      'had no data kept',
      { versionCode: 41, stamp: stamp('f', 's') },
      { ...kept, stamp: undefined },
      'changed',
    ],
    [
      'has no data',
      { versionCode: 41, stamp: stamp('f', 's'), dataBytes: 0 },
      { ...kept, stamp: undefined },
      'as-kept',
    ],
    ['does not show its data', { versionCode: 41 }, kept, 'unknown'],
  ] as const)('%s', (_what, app, newest, expected) => {
    expect(changeSince(app, newest)).toBe(expected);
  });
});
