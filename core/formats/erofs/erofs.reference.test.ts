// Judged by erofs-utils, which makes the images, and by the kernel, which tells what was put in.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { usually } from '../../../testing/effort.ts';
import { testFolder, unpackFixture } from '../../../testing/folder.ts';
import { makeOddTree } from '../../../testing/trees/odd-tree.ts';
import {
  differencesOf,
  treeOfFileSystem,
  treeOfFolder,
  type Tree,
} from '../../../testing/trees/tree-facts.ts';
import { memorySource } from '../../bytes/source.ts';
import { Erofs } from './erofs.ts';

const folder = testFolder();
// mkfs.erofs 1.5 copies chunks by a call that tmpfs refuses.
const disk = testFolder(true);
afterAll(() => {
  folder.remove();
  disk.remove();
});
const at = (name: string) => join(folder.path, name);
let wanted: Tree;

beforeAll(() => {
  mkdirSync(at('root'));
  // mkfs.erofs 1.5 finds no file again whose name has 255 bytes.
  makeOddTree(at('root'), { longestName: 254 });
  wanted = treeOfFolder(at('root'));
});

const made = (...options: string[]): Uint8Array => {
  const image = join(disk.path, 'image');
  rmSync(image, { force: true });
  execFileSync('mkfs.erofs', ['--quiet', ...options, image, at('root')], { stdio: 'pipe' });
  return readFileSync(image);
};

describe('every file of an odd tree', () => {
  const layouts: readonly (readonly [string, readonly string[]])[] = [
    ['as it is', []],
    ['inodes of the larger form', ['-Eforce-inode-extended']],
    ['chunks', ['--chunksize=16384', '-Eforce-chunk-indexes']],
    ['lz4', ['-zlz4']],
    ['lz4, a full index', ['-zlz4', '-Elegacy-compress']],
    ['lz4, large clusters, ends inline', ['-zlz4', '-C262144', '-Eztailpacking']],
    ['inodes of the smaller form where they fit', ['--ignore-mtime']],
    ['no attributes shared', ['-x', '9999']],
    ['attributes shared', ['-x', '1']],
    ['chunks in a map', ['--chunksize=4096', '-Eforce-inode-blockmap']],
    ['lz4hc', ['-zlz4hc,3']],
    ['lz4, large clusters', ['-zlz4', '-C65536']],
    ['lz4, ends packed inline', ['-zlz4', '-Eztailpacking']],
    ['lz4, short extents', ['-zlz4', '--max-extent-bytes=8192']],
  ];
  it.each(usually(layouts, 9))('%s', async (name, options) => {
    const found = await treeOfFileSystem(await Erofs.open(memorySource(made(...options))));
    expect(Object.keys(wanted).length).toBeGreaterThan(2000);
    const facts = ['type', 'mode', 'owner', 'bytes', 'sha256', 'links', 'target', 'attributes'] as const;
    const timed = name.startsWith('inodes of the larger') ? ([...facts, 'modifiedAt'] as const) : facts;
    expect(differencesOf(wanted, found, timed).slice(0, 10)).toEqual([]);
  });
});

/**
 * What Debian 12's mkfs.erofs does not make yet. Made by mkfs.erofs 1.8.6 of a tree that lies beside the images as a tar, with
 * `-zlzma -C65536 -Efragments,dedupe`, `-zlzma -Eztailpacking`, `-zdeflate,level=9 -C16384`, `-zzstd -Eztailpacking,fragments`,
 * `-zlz4hc -Eall-fragments,dedupe`, `-zlzma:zstd:lz4 -C65536` and `-b512 -zlz4`, each with `--all-root`.
 */
describe('images of newer tools', () => {
  const names = ['lzma', 'lzma-ends', 'deflate', 'zstd', 'lz4-shared', 'mixed', 'lz4-512'];

  beforeAll(() => {
    unpackFixture('erofs-1.8', folder.path);
    mkdirSync(at('newer'));
    execFileSync('tar', ['-xpf', at('tree.tar'), '-C', at('newer')]);
  });

  it.each(names)('%s', async (name) => {
    const found = await treeOfFileSystem(await Erofs.open(memorySource(readFileSync(at(`${name}.erofs`)))));
    const facts = ['type', 'mode', 'owner', 'bytes', 'sha256', 'links', 'target'] as const;
    expect(Object.keys(found).length).toBeGreaterThan(60);
    expect(differencesOf(treeOfFolder(at('newer')), found, facts)).toEqual([]);
  });
});
