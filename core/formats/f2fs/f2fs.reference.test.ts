// Judged by f2fs-tools: mkfs.f2fs and sload.f2fs make the images, fsck.f2fs says whether they are in order. What was put in is
// told by the kernel.
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { crc32 } from 'node:zlib';
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
import { rangesBytes } from '../../bytes/ranges.ts';
import { F2fs, usedRangesOfF2fs } from './f2fs.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
let wanted: Tree;

beforeAll(() => {
  mkdirSync(at('root'));
  makeOddTree(at('root'), { attributes: false });
  // sload.f2fs 1.15 keeps sixteen bits of each number of an owner.
  wanted = Object.fromEntries(
    Object.entries(treeOfFolder(at('root'))).map(([path, facts]) => [
      path,
      { ...facts, owner: facts.owner.replace(/\d+/g, (id) => `${Number(id) % 65_536}`) },
    ]),
  );
});

const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 26, stdio: ['ignore', 'pipe', 'pipe'] });

/** Each is made once; it lies at `image` as well. */
const known = new Map<string, Uint8Array>();
function made(features: readonly string[]): Uint8Array {
  const image = known.get(features.join()) ?? makeAnew(features);
  known.set(features.join(), image);
  writeFileSync(at('image'), image);
  return image;
}

function makeAnew(features: readonly string[]): Uint8Array {
  rmSync(at('image'), { force: true });
  writeFileSync(at('image'), '');
  truncateSync(at('image'), 128 << 20);
  run('mkfs.f2fs', '-q', '-f', ...features, at('image'));
  // It tells of every step, and of nothing that is wrong.
  spawnSync('sload.f2fs', ['-P', '-f', at('root'), at('image')], { stdio: 'ignore' });
  run('fsck.f2fs', '--dry-run', at('image'));
  return readFileSync(at('image'));
}

describe('every file of an odd tree', () => {
  const layouts: readonly (readonly [string, readonly string[]])[] = [
    ['as it is', []],
    ['as a phone makes it', ['-g', 'android']],
    ['larger inodes', ['-O', 'extra_attr,inode_checksum,inode_crtime']],
    ['room for how a file is compressed', ['-O', 'extra_attr,compression']],
    ['names of any case', ['-O', 'casefold', '-C', 'utf8:strict']],
    ['a checksum of the superblock', ['-O', 'sb_checksum']],
  ];
  it.each(usually(layouts, 4))('%s', async (_name, features) => {
    const found = await treeOfFileSystem(await F2fs.open(memorySource(made(features))));
    expect(Object.keys(wanted).length).toBeGreaterThan(2000);
    const facts = ['type', 'mode', 'owner', 'bytes', 'sha256', 'links', 'target', 'attributes'] as const;
    expect(differencesOf(wanted, found, facts).slice(0, 10)).toEqual([]);
  });
});

it('has the bytes that dump.f2fs finds, also where sload.f2fs lost some', async () => {
  // With room for attributes in the inode, sload.f2fs 1.15 writes over fifty addresses of a large file.
  const image = made(['-O', 'extra_attr,flexible_inline_xattr']);
  const fs = await F2fs.open(memorySource(image));
  for (const name of ['noise-5000000', 'noise-1000001', 'holes']) {
    const file = (await fs.find(`/sizes/${name}`))!;
    const into = mkdtempSync(at('dumped-'));
    spawnSync('dump.f2fs', ['-i', `0x${file.number.toString(16)}`, at('image')], {
      cwd: into,
      input: 'y\n',
      stdio: ['pipe', 'ignore', 'ignore'],
    });
    const dumped = readFileSync(join(into, 'lost_found', name));
    expect(Buffer.compare(Buffer.from(await fs.read(file)), dumped), name).toBe(0);
  }
});

describe('attributes', () => {
  it('are those that were written into an inode and a node of their own, by the published layout', async () => {
    const image = Buffer.from(made(['-O', 'extra_attr']));
    const fs = await F2fs.open(memorySource(image));
    const labelled = (await fs.find('/sizes/text-60'))!;
    const node = (await fs.find('/sizes/text-59'))!;
    const entry = (index: number, name: string, value: string) => {
      const bytes = Buffer.alloc(Math.ceil((4 + name.length + value.length) / 4) * 4);
      bytes.set([index, name.length]);
      bytes.writeUInt16LE(value.length, 2);
      bytes.write(name + value, 4, 'latin1');
      return bytes;
    };
    const head = Buffer.alloc(24);
    head.writeUInt32LE(0xf2f52011, 0);
    const list = Buffer.concat([
      head,
      entry(6, 'selinux', 'u:object_r:app_data_file:s0\0'),
      entry(1, 'note', 'v'.repeat(300)),
      entry(4, 'overlay.opaque', 'y'),
      Buffer.alloc(4),
    ]);
    // As the kernel: two hundred bytes at the end of the inode's addresses, the rest in a node.
    const inlineAt = labelled.offset + 360 + 923 * 4 - 200;
    list.copy(image, inlineAt, 0, 200);
    image[labelled.offset + 3]! |= 0x01;
    image.writeUInt32LE(node.number, labelled.offset + 76);
    image.fill(0, node.offset, node.offset + 4072);
    list.copy(image, node.offset, 200);
    image.writeUInt32LE(labelled.number, node.offset + 4076);
    const again = await F2fs.open(memorySource(image));
    const found = await again.attributes(await again.inode(labelled.number));
    expect(found.map(({ name, value }) => [name, Buffer.from(value).toString('latin1')])).toEqual([
      ['security.selinux', 'u:object_r:app_data_file:s0\0'],
      ['user.note', 'v'.repeat(300)],
      ['trusted.overlay.opaque', 'y'],
    ]);
  });
});

describe('a compressed file', () => {
  /** A block of LZ4 as the command makes it, out of its frame (lz4, doc/lz4_Frame_format.md). */
  const lz4Block = (bytes: Uint8Array) => {
    const frame = execFileSync('lz4', ['-9', '-B7', '--no-frame-crc', '-c'], { input: bytes });
    expect(frame.readUInt32LE(0)).toBe(0x184d2204);
    return frame.subarray(11, 11 + frame.readUInt32LE(7));
  };
  const zstdFrame = (bytes: Uint8Array) => execFileSync('zstd', ['-q', '-c', '--no-check'], { input: bytes });

  it.each([
    ['lz4', 1, lz4Block],
    ['zstd', 2, zstdFrame],
  ] as const)('by %s has the bytes that the command packed', async (_name, algorithm, pack) => {
    const image = Buffer.from(made(['-O', 'extra_attr,compression']));
    const fs = await F2fs.open(memorySource(image));
    const file = (await fs.find('/sizes/text-65536'))!;
    const content = readFileSync(at('root/sizes/text-65536'));
    const [extraBytes] = [image.readUInt16LE(file.offset + 360)];
    expect(extraBytes).toBe(36);
    image.writeUInt32LE(image.readUInt32LE(file.offset + 80) | 0x4, file.offset + 80);
    image[file.offset + 392] = algorithm;
    image[file.offset + 393] = 2;
    const first = file.offset + 360 + extraBytes;
    const places = Array.from({ length: 16 }, (_, i) => image.readUInt32LE(first + i * 4));
    // The second cluster stays as it is, as what does not pack does.
    for (let cluster = 0; cluster < 4; cluster++) {
      if (cluster === 1) continue;
      const packed = pack(content.subarray(cluster * 16_384, (cluster + 1) * 16_384));
      const blocks = Buffer.alloc(Math.ceil((24 + packed.length) / 4096) * 4096);
      expect(blocks.length).toBeLessThan(16_384);
      blocks.writeUInt32LE(packed.length, 0);
      packed.copy(blocks, 24);
      const at = places.slice(cluster * 4, cluster * 4 + 4);
      for (let i = 0; i < 4; i++) {
        const holds = i * 4096 < blocks.length;
        if (holds) blocks.copy(image, at[i]! * 4096, i * 4096, (i + 1) * 4096);
        const address = i === 0 ? 0xfffffffe : (i - 1) * 4096 < blocks.length ? at[i - 1]! : 0;
        image.writeUInt32LE(address, first + (cluster * 4 + i) * 4);
      }
    }
    const again = await F2fs.open(memorySource(image));
    const compressed = await again.inode(file.number);
    expect(Buffer.compare(Buffer.from(await again.read(compressed)), content)).toBe(0);
    const source = await again.contentSource(compressed);
    expect(Buffer.from(await source.read(30_000, 20_000))).toEqual(content.subarray(30_000, 50_000));
    image[places[0]! * 4096 + 40]! ^= 0xff;
    image.fill(0xff, places[0]! * 4096 + 100, places[0]! * 4096 + 300);
    const damaged = await F2fs.open(memorySource(image));
    await expect(damaged.read(await damaged.inode(file.number))).rejects.toMatchObject({
      name: 'FormatError',
    });
  });
});

describe('the blocks in use', () => {
  it('put back over zeros pass fsck.f2fs, with every file as it was', async () => {
    const image = made(['-g', 'android']);
    const used = await usedRangesOfF2fs(memorySource(image));
    const put = new Uint8Array(image.length);
    for (const { offset, bytes } of used) put.set(image.subarray(offset, offset + bytes), offset);
    expect(rangesBytes(used)).toBeLessThan(image.length / 2);
    writeFileSync(at('put-back'), put);
    expect(run('fsck.f2fs', '--dry-run', at('put-back'))).toMatch(/other corrupted bugs +\[Ok/);
    const [was, is] = await Promise.all(
      [image, put].map(async (each) => treeOfFileSystem(await F2fs.open(memorySource(each)))),
    );
    expect(differencesOf(was!, is!)).toEqual([]);
  });

  it('are those that dump.f2fs tells of the segments', async () => {
    const image = made([]);
    const into = mkdtempSync(at('sit-'));
    spawnSync('dump.f2fs', ['-s', '0~-1', at('image')], { cwd: into, stdio: 'ignore' });
    const told = readFileSync(join(into, 'dump_sit'), 'utf8');
    const counts = [...told.matchAll(/segno: *(\d+).*?vblocks: *(\d+)/g)].map(
      ([, segno, blocks]) => [Number(segno), Number(blocks)] as const,
    );
    const fs = await F2fs.open(memorySource(image));
    const { main, mainSegments } = fs.superblock;
    const used = await usedRangesOfF2fs(memorySource(image));
    const inSegment = (segno: number) => {
      const from = (main + segno * 512) * 4096;
      return (
        used.reduce(
          (sum, { offset, bytes }) =>
            sum + Math.max(0, Math.min(offset + bytes, from + (2 << 20)) - Math.max(offset, from)),
          0,
        ) / 4096
      );
    };
    expect(counts).toHaveLength(mainSegments);
    for (const [segno, blocks] of counts) expect(inSegment(segno), `segment ${segno}`).toBe(blocks);
  });

  it('are not told of one that was not unmounted', async () => {
    const image = Buffer.from(made([]));
    const { superblock } = await F2fs.open(memorySource(image));
    unflagCheckpoints(image, superblock.checkpoint * 4096, 0x1);
    await expect(usedRangesOfF2fs(memorySource(image))).rejects.toMatchObject({ field: 'ckpt_flags' });
    expect((await F2fs.open(memorySource(image))).findings.join()).toMatch(/not unmounted/);
  });
});

/** Takes a flag out of every checkpoint, and makes their checksums anew. */
function unflagCheckpoints(image: Buffer, first: number, flag: number): void {
  for (const start of [first, first + (2 << 20)]) {
    const blocks = image.readUInt32LE(start + 136);
    for (const block of [start, start + (blocks - 1) * 4096]) {
      image.writeUInt32LE((image.readUInt32LE(block + 132) & ~flag) >>> 0, block + 132);
      // zlib's CRC-32 with what it inverts inverted back.
      const sum = (crc32(image.subarray(block, block + 4092), ~0xf2f52010 >>> 0) ^ 0xffffffff) >>> 0;
      image.writeUInt32LE(sum, block + 4092);
    }
  }
}

describe('damage', () => {
  it('to the newer checkpoint leaves the older one', async () => {
    const image = Buffer.from(made([]));
    const { superblock, checkpoint } = await F2fs.open(memorySource(image));
    const starts = [superblock.checkpoint, superblock.checkpoint + 512].map((block) => block * 4096);
    const newest = starts.find((start) => image.readBigUInt64LE(start) === checkpoint.version)!;
    image[newest + 200]! ^= 1;
    const fs = await F2fs.open(memorySource(image)).catch((error: unknown) => error as Error);
    if (fs instanceof F2fs) expect(fs.checkpoint.version).toBeLessThanOrEqual(checkpoint.version);
    else expect(fs).toMatchObject({ name: 'FormatError' });
    for (const start of starts) image[start + 200]! ^= 3;
    await expect(F2fs.open(memorySource(image))).rejects.toMatchObject({ field: 'checksum' });
  });

  it('to the table of nodes is told, and not followed', async () => {
    const image = Buffer.from(made([]));
    const fs = await F2fs.open(memorySource(image));
    const file = (await fs.find('/sizes/text-60'))!;
    image.writeUInt32LE(file.number + 1, file.offset + 4072);
    await expect((await F2fs.open(memorySource(image))).inode(file.number)).rejects.toMatchObject({
      field: 'footer',
      name: 'FormatError',
    });
  });
});
