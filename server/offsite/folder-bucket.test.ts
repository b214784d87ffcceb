// A folder on another disk in the place of a bucket. What is done with buckets at large is tried elsewhere, on one in memory.
import { execFileSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { testFolder } from '../../testing/folder.ts';
import { OffsiteBench, passphrase } from '../../testing/offsite/offsite-bench.ts';
import { BucketFailure } from '../failures.ts';
import { ShelfWorkers } from '../shelf/threads/workers.ts';
import type { Bucket } from './bucket.ts';
import { FolderBucket } from './folder-bucket.ts';

const folder = testFolder();
const workers = new ShelfWorkers();
afterAll(async () => {
  await workers.close();
  folder.remove();
});
const disk = (name: string) => {
  const path = join(folder.path, name);
  mkdirSync(path, { recursive: true });
  return path;
};
async function listed(bucket: Bucket, prefix: string): Promise<string[]> {
  const names: string[] = [];
  for await (const each of bucket.list(prefix)) names.push(`${each.name} ${each.bytes}`);
  return names;
}

it('keeps objects, gives parts of them, lists and removes them', async () => {
  const path = disk('objects');
  const bucket = new FolderBucket(join(path, 'copy'), false);
  expect(await listed(bucket, '')).toEqual([]);
  await bucket.put('seal.json', Buffer.from('{}'));
  const bytes = randomBytes(300_000);
  await bucket.put('packs/one', bytes);
  await bucket.put('packs/one', bytes);
  await bucket.put('claims/one/bench', new Uint8Array());
  writeFileSync(join(path, 'copy', 'packs', 'two.part'), 'cut off');
  expect(await listed(bucket, 'packs/')).toEqual(['packs/one 300000']);
  expect(await listed(bucket, 'claims/one/')).toEqual(['claims/one/bench 0']);
  expect(await listed(bucket, 'pa')).toEqual(['packs/one 300000']);
  expect((await bucket.get('packs/one')).equals(bytes)).toBe(true);
  const part = await bucket.get('packs/one', { offset: 1000, bytes: 70_000 });
  expect(part.equals(bytes.subarray(1000, 71_000))).toBe(true);
  await expect(bucket.get('packs/one', { offset: 299_999, bytes: 2 })).rejects.toThrow(/gave 1 bytes/);
  await expect(bucket.get('packs/two')).rejects.toThrow(/did not give packs\/two: there is no such file/);
  await bucket.remove('packs/one');
  await bucket.remove('packs/one');
  expect(await listed(bucket, 'packs/')).toEqual([]);
});

it('a larder is brought back from the disk alone, and what lies on it says nothing', async () => {
  const path = join(disk('a disk'), 'copy');
  const made = async (name: string) => new OffsiteBench(new FolderBucket(path, false), name, workers).begin();
  const [bench, other] = [await made('Front bench'), await made('Restored')];
  try {
    await bench.setUp();
    const boot = randomBytes(700_000);
    await bench.bench.keep(bench.open, 'Before the new screen', { boot });
    expect(await bench.sync()).toMatchObject({ sent: 1, left: [] });
    expect(await bench.sync()).toMatchObject({ sent: 0 });
    for (const entry of readdirSync(path, { recursive: true, withFileTypes: true }))
      if (entry.isFile() && entry.name !== 'seal.json')
        expect(readFileSync(join(entry.parentPath, entry.name), 'latin1')).not.toMatch(
          /new screen|Front bench/,
        );
    await other.offsite.takeOver({ ...other.request, passphrase });
    await other.fetchAll();
    const [kept, got] = [await bench.contents(), await other.contents()];
    const sha256 = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');
    expect([...got].map(([name, bytes]) => [name, sha256(bytes)])).toEqual(
      [...kept].map(([name, bytes]) => [name, sha256(bytes)]),
    );
    expect(kept.size).toBe(1);
  } finally {
    await bench.close();
    await other.close();
  }
});

it('a disk that is unplugged leaves an empty folder behind: nothing is taken for gone, nothing is written there', async () => {
  const path = join(disk('unplugged'), 'copy');
  const bench = await new OffsiteBench(new FolderBucket(path, false), 'Front bench', workers).begin();
  try {
    await bench.setUp();
    await bench.bench.keep(bench.open, 'First', { boot: randomBytes(300_000) });
    await bench.sync();
    expect(bench.offsite.view()).toMatchObject({ offsiteCount: 1, isAway: false });
    renameSync(path, `${path} elsewhere`);
    mkdirSync(path);
    await bench.bench.keep(bench.open, 'Second', { boot: randomBytes(300_000) });
    await expect(bench.sync()).rejects.toThrow(BucketFailure);
    expect(await bench.offsite.look()).toBe(false);
    expect(bench.offsite.view()).toMatchObject({ offsiteCount: 1, isAway: true });
    expect(readdirSync(path)).toEqual([]);
    rmSync(path, { recursive: true });
    await expect(bench.sync()).rejects.toThrow(/Plug its disk in/);
    renameSync(`${path} elsewhere`, path);
    expect(await bench.offsite.look()).toBe(true);
    expect(await bench.sync()).toMatchObject({ sent: 1 });
    expect(bench.offsite.view()).toMatchObject({ offsiteCount: 2, isAway: false, fault: undefined });
  } finally {
    await bench.close();
  }
});

it('a disk that is full says so, and what was there stays whole', async () => {
  const path = disk('small');
  try {
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=2m', 'tmpfs', path], { stdio: 'pipe' });
  } catch {
    // Only root may mount.
    return;
  }
  try {
    const bucket = new FolderBucket(join(path, 'copy'), false);
    await bucket.put('seal.json', Buffer.from('{}'));
    await bucket.put('packs/one', randomBytes(1 << 20));
    await expect(bucket.put('packs/two', randomBytes(2 << 20))).rejects.toThrow(
      /did not take packs\/two: its disk is full/,
    );
    expect(await listed(bucket, 'packs/')).toEqual([`packs/one ${1 << 20}`]);
    expect(readdirSync(join(path, 'copy', 'packs'))).toEqual(['one']);
  } finally {
    execFileSync('umount', [path]);
  }
});
