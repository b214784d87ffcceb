// f2fs and erofs judged by the tools that make them: mkfs.f2fs and mkfs.erofs (Debian's f2fs-tools, erofs-utils).
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../testing/folder.ts';
import { memorySource } from '../bytes/source.ts';
import { looksLikeErofs, readErofs } from './erofs/erofs.ts';
import { looksLikeF2fs, readF2fs } from './f2fs/f2fs.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);

describe('f2fs', () => {
  const make = () => {
    writeFileSync(at('f2fs.img'), '');
    truncateSync(at('f2fs.img'), 64 << 20);
    const told = execFileSync('mkfs.f2fs', ['-f', '-l', 'userdata', at('f2fs.img')], { encoding: 'utf8' });
    return { told, bytes: readFileSync(at('f2fs.img')) };
  };

  it('is recognised, with the size and label that mkfs.f2fs gave it', async () => {
    const { told, bytes } = make();
    expect(looksLikeF2fs(bytes.subarray(0, 4096))).toBe(true);
    const found = await readF2fs(memorySource(bytes));
    expect(told).toMatch(/Label = userdata/);
    expect(found).toMatchObject({ blockBytes: 4096, volumeName: 'userdata', findings: [] });
    expect(found.bytes).toBeLessThanOrEqual(64 << 20);
    expect(found.bytes).toBeGreaterThan(60 << 20);
  });

  it('is read from its second superblock when the first is gone', async () => {
    const { bytes } = make();
    bytes.fill(0, 0, 4096);
    const found = await readF2fs(memorySource(bytes));
    expect(found.volumeName).toBe('userdata');
    expect(found.findings.join()).toMatch(/first superblock is damaged/);
    bytes.fill(0, 4096, 8192);
    await expect(readF2fs(memorySource(bytes))).rejects.toMatchObject({ field: 'magic', offset: 1024 });
  });

  it('is refused when it says it is larger than what there is', async () => {
    const { bytes } = make();
    const cut = bytes.subarray(0, 1 << 20);
    await expect(readF2fs(memorySource(cut))).rejects.toMatchObject({ name: 'FormatError', field: 'blocks' });
  });
});

describe('erofs', () => {
  const make = (...options: string[]) => {
    mkdirSync(at('root'), { recursive: true });
    writeFileSync(at('root/build.prop'), 'ro.build.version.release=14\n');
    writeFileSync(at('root/large'), Buffer.alloc(500_000, 'text that packs well '));
    execFileSync(
      'mkfs.erofs',
      [...options, '-U', '01234567-89ab-cdef-0123-456789abcdef', at('erofs.img'), at('root')],
      {
        stdio: 'ignore',
      },
    );
    return readFileSync(at('erofs.img'));
  };

  it('is recognised, with its identifier, and its checksum is right', async () => {
    const bytes = make();
    expect(looksLikeErofs(bytes.subarray(0, 4096))).toBe(true);
    const found = await readErofs(memorySource(bytes));
    expect(found).toMatchObject({
      blockBytes: 4096,
      bytes: bytes.length,
      inodes: 3,
      uuid: '01234567-89ab-cdef-0123-456789abcdef',
      findings: [],
    });
  });

  it('that was damaged has a finding, or is refused', async () => {
    const bytes = make('-zlz4');
    bytes[1024 + 60]! ^= 1;
    expect((await readErofs(memorySource(bytes))).findings.join()).toMatch(
      /checksum of the superblock is wrong/,
    );
    bytes[1024 + 12] = 60;
    await expect(readErofs(memorySource(bytes))).rejects.toMatchObject({ field: 'blockBits' });
    await expect(readErofs(memorySource(bytes.subarray(0, 1100)))).rejects.toMatchObject({
      field: 'superblock',
    });
  });
});
