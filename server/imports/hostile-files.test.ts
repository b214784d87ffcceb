// Files that are made to take long: what is found in the watched folder does not hold the program up. One of these once took 36
// seconds.
import { mkdirSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openOn, testFolder, until } from '../../testing/bench.ts';
import { mostHeldMs, Turns } from '../../testing/turns.ts';
import type { KeenLarder } from '../keen-larder.ts';

const attempts = 3;
const folder = testFolder();
const home = join(folder.path, 'home');
let app: KeenLarder;
beforeAll(async () => {
  app = await openOn(home, undefined);
});
afterAll(async () => {
  await app.close();
  folder.remove();
});

/** An Android sparse image of so many chunks of one block each, of zeros or of another word. */
function sparse(chunks: number, fill?: number): Buffer {
  const chunkBytes = fill === undefined ? 12 : 16;
  const out = Buffer.alloc(28 + chunks * chunkBytes);
  for (const [at, value] of [
    [0, 0xed26ff3a],
    [4, 1],
    [8, (12 << 16) | 28],
    [12, 4096],
    [16, chunks],
    [20, chunks],
  ] as const)
    out.writeUInt32LE(value, at);
  for (let at = 28; at < out.length; at += chunkBytes) {
    out.writeUInt32LE(fill === undefined ? 0xcac3 : 0xcac2, at);
    out.writeUInt32LE(1, at + 4);
    out.writeUInt32LE(chunkBytes, at + 8);
    if (fill !== undefined) out.writeUInt32LE(fill, at + 12);
  }
  return out;
}

/** A zip archive of so many empty files. */
function zip(entries: number): Buffer {
  const local = Buffer.alloc(31);
  local.writeUInt32LE(0x04034b50, 0);
  local.writeUInt16LE(1, 26);
  const entry = Buffer.alloc(47);
  entry.writeUInt32LE(0x02014b50, 0);
  entry.writeUInt16LE(1, 28);
  for (const each of [local, entry]) each.write('f', each.length - 1);
  const directory = Buffer.concat(Array.from({ length: entries }, () => entry));
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0);
  for (const at of [8, 10]) end.writeUInt16LE(entries, at);
  end.writeUInt32LE(directory.length, 12);
  end.writeUInt32LE(local.length, 16);
  return Buffer.concat([local, directory, end]);
}

/** A tar archive of so many empty files. */
function tar(entries: number): Buffer {
  const header = Buffer.alloc(512);
  header.write('f', 0);
  for (const [at, text] of [
    [100, '0000644\0'],
    [108, '0000000\0'],
    [116, '0000000\0'],
    [124, '00000000000\0'],
    [136, '00000000000\0'],
    [148, '        '],
    [156, '0'],
    [257, 'ustar\x0000'],
  ] as const)
    header.write(text, at);
  const sum = header.reduce((total, byte) => total + byte, 0);
  header.write(`${sum.toString(8).padStart(6, '0')}\0 `, 148);
  return Buffer.concat([...Array.from({ length: entries }, () => header), Buffer.alloc(1024)]);
}

/** The superblock of a file system that says it has four thousand million inodes and blocks. */
function ext4(): Buffer {
  const out = Buffer.alloc(1 << 20);
  out.writeUInt16LE(0xef53, 1024 + 56);
  for (const at of [0, 4]) out.writeUInt32LE(0xffffffff, 1024 + at);
  for (const at of [32, 40, 76]) out.writeUInt32LE(1, 1024 + at);
  return out;
}

it.each<[string, () => Buffer | string]>([
  ['sparse.img', () => sparse(150_000)],
  ['filled.img', () => sparse(150_000, 7)],
  ['many.zip', () => zip(60_000)],
  ['many.tar', () => tar(20_000)],
  ['huge.img', ext4],
  ['bomb.img.gz', () => gzipSync(Buffer.alloc(64 << 20))],
  ['SHA256SUMS', () => `${'a'.repeat(64)}  x\n`.repeat(55_000)],
  ['odd.sha256', () => ' '.repeat(4 << 20)],
  ['contents.json', () => '['.repeat(2_000_000)],
  ['copy.json', () => '{"a":'.repeat(700_000)],
])('%s', async (name, make) => {
  // What holds the program up does so every time; collecting the garbage of other tests in small steps does not.
  let heldMs = Infinity;
  for (let attempt = 1; attempt <= attempts && heldMs >= mostHeldMs; attempt++)
    heldMs = await heldBy(`${attempt}-${name}`, name, make());
  expect(heldMs).toBeLessThan(mostHeldMs);
});

/** How long the longest turn took while a folder with such a file was looked into; ms. */
async function heldBy(id: string, name: string, content: Buffer | string): Promise<number> {
  const made = join(folder.path, id);
  mkdirSync(made);
  writeFileSync(join(made, name), content);
  // What making it takes is not what is measured.
  await new Promise((resolve) => setTimeout(resolve, 20));
  const turns = new Turns();
  renameSync(made, join(home, 'imports', id));
  const found = () => app.incoming.view(() => []).imports.find((each) => each.id === id);
  await until(name, () => found()?.state === 'ready');
  const longest = turns.take();
  turns.stop();
  return longest;
}
