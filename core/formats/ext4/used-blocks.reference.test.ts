// Used blocks beside e2fsprogs: an image of only those is a file system to e2fsck, with every file in it.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { rangesBytes } from '../../bytes/ranges.ts';
import { memorySource } from '../../bytes/source.ts';
import { Ext4, usedRanges } from './ext4.ts';

const folder = mkdtempSync(join(tmpdir(), 'keen-larder-used-'));
afterAll(() => rmSync(folder, { recursive: true }));

function made(name: string, options: string[], megabytes: number): Buffer {
  const root = join(folder, `${name}-root`);
  mkdirSync(join(root, 'deep/er'), { recursive: true });
  for (let i = 0; i < 40; i++) writeFileSync(join(root, `file-${i}`), Buffer.alloc(3000 * (i + 1), `${i} `));
  writeFileSync(join(root, 'deep/er/large'), Buffer.alloc(9_000_000, 'large '));
  const image = join(folder, `${name}.img`);
  execFileSync('mke2fs', ['-q', '-t', 'ext4', ...options, '-d', root, image, `${megabytes}M`]);
  const bytes = readFileSync(image);
  // What a used file system leaves in its free blocks.
  return bytes;
}

async function filesOf(bytes: Uint8Array): Promise<Record<string, string>> {
  const fs = await Ext4.open(memorySource(bytes));
  const found: Record<string, string> = {};
  const walk = async (path: string) => {
    const inode = (await fs.find(path))!;
    if (inode.type === 'directory') {
      for (const { name } of await fs.list(inode)) await walk(`${path === '/' ? '' : path}/${name}`);
    } else
      found[path] = createHash('sha256')
        .update(await fs.read(inode))
        .digest('hex');
  };
  await walk('/');
  return found;
}

describe('used blocks', () => {
  it.each([
    ['android-9', ['-b', '4096', '-O', '^metadata_csum,^64bit'], 96],
    ['modern', ['-b', '4096', '-O', 'metadata_csum,64bit'], 300],
    ['small-blocks', ['-b', '1024', '-O', '^64bit'], 40],
    ['lazy', ['-b', '4096', '-E', 'lazy_itable_init=1', '-O', 'uninit_bg,^metadata_csum'], 300],
    ['meta-groups', ['-b', '1024', '-O', 'meta_bg,^resize_inode'], 80],
  ] as const)('%s', async (name, options, megabytes) => {
    const whole = made(name, [...options], megabytes);
    const ranges = await usedRanges(memorySource(whole));
    const kept = Buffer.alloc(whole.length);
    for (const { offset, bytes } of ranges) whole.copy(kept, offset, offset, offset + bytes);
    const path = join(folder, `${name}-used.img`);
    writeFileSync(path, kept);
    execFileSync('e2fsck', ['-fn', path], { stdio: 'pipe' });
    expect(await filesOf(kept)).toEqual(await filesOf(whole));
    // dumpe2fs counts the free blocks; what it does not count free is in the ranges, and little else is.
    const told = execFileSync('dumpe2fs', ['-h', path], {
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    const number = (label: string) => Number(new RegExp(`${label}:\\s+(\\d+)`).exec(told)![1]);
    const used = (number('Block count') - number('Free blocks')) * number('Block size');
    expect(rangesBytes(ranges)).toBeGreaterThanOrEqual(used);
    expect(rangesBytes(ranges)).toBeLessThan(used * 1.1 + (4 << 20));
  });

  it('are not told of a file system whose journal holds changes', async () => {
    const bytes = made('dirty', ['-b', '4096'], 64);
    // s_feature_incompat |= recover (kernel documentation, offset 0x60)
    bytes.writeUInt32LE(bytes.readUInt32LE(1024 + 0x60) | 4, 1024 + 0x60);
    await expect(usedRanges(memorySource(bytes))).rejects.toThrow(/journal holds changes/);
  });
});
