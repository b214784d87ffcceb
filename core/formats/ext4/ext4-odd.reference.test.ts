// Judged by e2fsprogs and by the kernel, which mounts what was made: odd layouts, journals that hold changes, damage.
import { execFileSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { usually } from '../../../testing/effort.ts';
import { testFolder } from '../../../testing/folder.ts';
import { makeOddTree } from '../../../testing/trees/odd-tree.ts';
import {
  differencesOf,
  treeOfFileSystem,
  treeOfFolder,
  type Tree,
} from '../../../testing/trees/tree-facts.ts';
import { memorySource } from '../../bytes/source.ts';
import { inspectImage } from '../inspect/inspect.ts';
import { Ext4, usedRanges } from './ext4.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 26, stdio: ['ignore', 'pipe', 'pipe'] });
let wanted: Tree;

beforeAll(() => {
  mkdirSync(at('root'));
  makeOddTree(at('root'));
  wanted = treeOfFolder(at('root'));
});

const known = new Map<string, Uint8Array>();
const made = (...options: string[]): Uint8Array => {
  const image = known.get(options.join()) ?? makeAnew(options);
  known.set(options.join(), image);
  return Buffer.from(image);
};
function makeAnew(options: readonly string[]): Uint8Array {
  rmSync(at('image'), { force: true });
  run('mke2fs', '-q', '-t', 'ext4', ...options, '-d', at('root'), at('image'), '96m');
  return readFileSync(at('image'));
}

/** The root's own `lost+found` was not put in. */
const withoutLost = (tree: Tree): Tree =>
  Object.fromEntries(Object.entries(tree).filter(([path]) => path !== '/lost+found'));

describe('every file of an odd tree', () => {
  const layouts: readonly (readonly [string, readonly string[]])[] = [
    ['as it is', []],
    ['clusters', ['-O', 'bigalloc', '-C', '16384']],
    ['clusters, small blocks', ['-O', 'bigalloc', '-b', '1024', '-C', '16384']],
    ['data in inodes', ['-O', 'inline_data', '-I', '512']],
    ['descriptors in groups of their own', ['-O', 'meta_bg,^resize_inode', '-b', '1024']],
    ['names of any case', ['-O', 'casefold', '-E', 'encoding=utf8']],
  ];
  it.each(usually(layouts, 4))('%s', async (_name, options) => {
    const fs = await Ext4.open(memorySource(made(...options)));
    const found = withoutLost(await treeOfFileSystem(fs));
    const facts = ['type', 'mode', 'owner', 'bytes', 'sha256', 'links', 'target', 'attributes'] as const;
    const differences = differencesOf(wanted, found, facts);
    // mke2fs shortens a hole at the end of a file where data may stand in inodes.
    const expected = options.includes('inline_data') ? [expect.stringMatching(/^\/sizes\/holes/)] : [];
    expect(differences).toEqual(expected);
    expect(fs.findings).toEqual([]);
  });
});

it('blocks in use of one with clusters, put back over zeros, pass e2fsck', async () => {
  const image = made('-O', 'bigalloc', '-C', '16384');
  const put = new Uint8Array(image.length);
  for (const { offset, bytes } of await usedRanges(memorySource(image)))
    put.set(image.subarray(offset, offset + bytes), offset);
  writeFileSync(at('put-back'), put);
  run('e2fsck', '-fn', at('put-back'));
  const found = withoutLost(await treeOfFileSystem(await Ext4.open(memorySource(put))));
  expect(differencesOf(wanted, found, ['sha256']).slice(0, 10)).toEqual([]);
});

it.each([
  ['4 KiB', []],
  ['1 KiB', ['-b', '1024']],
])('whose beginning is wiped is read by its copies: blocks of %s', async (_name, options) => {
  const whole = made(...options);
  // So large that it has copies.
  rmSync(at('image'), { force: true });
  run('mke2fs', '-q', '-t', 'ext4', ...options, '-d', at('root'), at('image'), '192m');
  const image = readFileSync(at('image'));
  expect(image.length).toBeGreaterThan(whole.length);
  image.fill(0, 0, 4096);
  image.fill(0, 4096, options.length > 0 ? 8192 : 40_960);
  await expect(Ext4.open(memorySource(image))).rejects.toMatchObject({ field: 's_magic' });
  const fs = await Ext4.open(memorySource(image), true);
  expect(fs.findings.join()).toMatch(/first superblock is damaged .*the copy in group 1 was read/);
  const found = withoutLost(await treeOfFileSystem(fs));
  expect(differencesOf(wanted, found, ['type', 'sha256']).slice(0, 10)).toEqual([]);
  expect((await inspectImage(memorySource(image))).format).toBe('ext4');
});

describe('a journal that holds changes', () => {
  /** An image of a file system in use: it was synced, and not unmounted. */
  const inUse = (...options: string[]): Uint8Array => {
    writeFileSync(at('used'), '');
    truncateSync(at('used'), 64 << 20);
    run('mke2fs', '-q', '-t', 'ext4', ...options, at('used'));
    mkdirSync(at('mounted'), { recursive: true });
    run('mount', '-o', 'loop', at('used'), at('mounted'));
    try {
      mkdirSync(join(at('mounted'), 'folder'));
      for (let i = 0; i < 300; i++)
        writeFileSync(join(at('mounted'), 'folder', `file ${i}`), `content ${i}`.repeat(i));
      run('sync', '-f', at('mounted'));
      for (let i = 0; i < 300; i += 3) rmSync(join(at('mounted'), 'folder', `file ${i}`));
      writeFileSync(join(at('mounted'), 'written last'), 'and synced');
      run('sync', '-f', at('mounted'));
      copyFileSync(at('used'), at('copy'));
    } finally {
      run('umount', at('mounted'));
    }
    return readFileSync(at('copy'));
  };

  it.each([
    ['with checksums', []],
    ['without', ['-O', '^metadata_csum']],
    ['with block numbers of 32 bits', ['-O', '^64bit']],
  ])('%s is read as the kernel reads it once it is in place', async (_name, options) => {
    const image = inUse(...options);
    const fs = await Ext4.open(memorySource(image));
    expect(fs.superblock.needsRecovery).toBe(true);
    const found = await treeOfFileSystem(fs);
    // The kernel puts the journal in place when it mounts.
    run('mount', '-o', 'loop', at('copy'), at('mounted'));
    let told: Tree;
    try {
      told = treeOfFolder(at('mounted'));
    } finally {
      run('umount', at('mounted'));
    }
    expect(Object.keys(told).length).toBeGreaterThan(200);
    expect(differencesOf(told, found).slice(0, 5)).toEqual([]);
    expect(fs.findings.join()).toMatch(/journal holds changes that are not yet in place \(\d+ blocks\)/);
    await expect(usedRanges(memorySource(image))).rejects.toMatchObject({ field: 's_feature_incompat' });
  });

  it('of which a block is damaged is followed up to there', async () => {
    const image = Buffer.from(inUse());
    const fs = await Ext4.open(memorySource(image));
    const [first] = await fs.runs(await fs.inode(8));
    const { blockBytes } = fs.superblock;
    image.fill(0x5a, (first!.diskBlock + 3) * blockBytes, (first!.diskBlock + 60) * blockBytes);
    const damaged = await Ext4.open(memorySource(image));
    // What is left is what stood there before: read, or told as damaged.
    await treeOfFileSystem(damaged).catch((error: unknown) => expect(error).toBeInstanceOf(Error));
  });
});

describe('damage is found by the checksums that it leaves wrong', () => {
  it('in an inode, in a folder and in a group descriptor', async () => {
    const image = made();
    const fs = await Ext4.open(memorySource(image));
    expect(await fs.descriptorFinding()).toBeUndefined();
    const file = (await fs.find('/sizes/text-60'))!;
    const many = (await fs.find('/many'))!;
    const blocks = (await fs.runs(many)).flatMap(({ diskBlock, blocks: count }) =>
      Array.from({ length: count }, (_, i) => diskBlock + i),
    );
    const { blockBytes } = fs.superblock;
    image[file.offset + 4]! ^= 1; // its size
    image[blocks[5]! * blockBytes + 20]! ^= 1; // within a name
    image[blockBytes * (blockBytes === 1024 ? 2 : 1) + 14]! ^= 1; // a count of free inodes
    const damaged = await Ext4.open(memorySource(image));
    const faults = new Map<string, string>();
    for await (const { path, fault } of damaged.walk()) if (fault !== undefined) faults.set(path, fault);
    expect([...faults.keys()].sort()).toEqual(['/many', '/sizes/text-60']);
    expect(faults.get('/many')).toMatch(/does not match its checksum: names may be wrong/);
    expect(await damaged.descriptorFinding()).toMatch(/Descriptors of 1 of \d+ block groups .* \(0\)/);
  });
});
