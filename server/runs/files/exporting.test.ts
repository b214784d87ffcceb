// Exports on disks that fill, lie, or take a part of what they are given.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { afterAll, expect, it } from 'vitest';
import { flippedAt, fullFrom, shortWrites, withWrites } from '../../../testing/faults/disk-faults.ts';
import { testFolder } from '../../../testing/folder.ts';
import { writeFileOf } from './exporting.ts';

const folder = testFolder();
afterAll(() => folder.remove());

const bytes = Buffer.from(Array.from({ length: 300_000 }, (_, i) => (i * 31) & 255));
const file = (name: string) => ({
  name,
  bytes: bytes.length,
  open: () => Readable.from([bytes.subarray(0, 100_000), bytes.subarray(100_000)]),
});

it('is whole though the disk takes a part of each write', async () => {
  await withWrites(shortWrites(4096), () => writeFileOf(file('short.img'), folder.path));
  expect(readFileSync(join(folder.path, 'short.img')).equals(bytes)).toBe(true);
});

it('is not there under its name when the disk is full or does not keep it as it was', async () => {
  for (const [fault, words] of [
    [fullFrom(1), /ENOSPC/],
    [flippedAt(0), /does not read back as it was written/],
    [flippedAt(1), /does not read back as it was written/],
  ] as const) {
    await expect(withWrites(fault, () => writeFileOf(file('lost.img'), folder.path))).rejects.toThrow(words);
    expect(existsSync(join(folder.path, 'lost.img'))).toBe(false);
  }
  expect(readdirSync(folder.path)).toEqual(['short.img']);
});
