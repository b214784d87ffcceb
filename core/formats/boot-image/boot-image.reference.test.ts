// Judged by Debian's mkbootimg (AOSP system/tools/mkbootimg), which makes versions 0 to 2; versions 3
// and 4 by the published layout (AOSP, bootimg.h).
import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../e2e/support/bench.ts';
import { memorySource } from '../../bytes/source.ts';
import { bootImageIdParts, readBootImage, writeBootImage } from './index.ts';

const folder = testFolder();
afterAll(folder.remove);
const file = (name: string, bytes: number, seed: number) => {
  const path = join(folder.path, name);
  writeFileSync(
    path,
    Uint8Array.from({ length: bytes }, (_, i) => (i * seed) & 0xff),
  );
  return path;
};
const kernel = file('kernel', 70_001, 7);
const ramdisk = file('ramdisk', 33_333, 11);
const dtb = file('dtb', 4_097, 13);
const image = join(folder.path, 'boot.img');

function mkbootimg(...args: string[]): Uint8Array {
  execFileSync('mkbootimg', ['--kernel', kernel, '--ramdisk', ramdisk, '--output', image, ...args]);
  return readFileSync(image);
}

describe('boot images beside mkbootimg', () => {
  it.each([0, 1, 2])('reads version %i', async (version) => {
    const bytes = mkbootimg(
      ...['--header_version', String(version), '--os_version', '9.1.2', '--os_patch_level', '2026-03'],
      ...['--pagesize', '4096', '--cmdline', 'console=ttyQ0 loop.max_part=7'],
      ...(version === 2 ? ['--dtb', dtb] : []),
    );
    const found = await readBootImage(memorySource(bytes));
    expect(found).toMatchObject({
      headerVersion: version,
      pageBytes: 4096,
      os: { version: '9.1.2', patchLevel: '2026-03' },
      commandLine: 'console=ttyQ0 loop.max_part=7',
      bytes: bytes.length,
    });
    const part = (name: string) => {
      const { offset, bytes: length } = found.parts.find((each) => each.name === name)!;
      return Buffer.from(bytes.subarray(offset, offset + length));
    };
    expect(part('kernel').equals(readFileSync(kernel))).toBe(true);
    expect(part('ramdisk').equals(readFileSync(ramdisk))).toBe(true);
    if (version === 2) expect(part('dtb').equals(readFileSync(dtb))).toBe(true);
  });

  it('writes version 1 byte for byte as mkbootimg does', () => {
    const theirs = mkbootimg(
      '--header_version',
      '1',
      '--os_version',
      '9.0.0',
      '--os_patch_level',
      '2026-01',
      '--pagesize',
      '2048',
      '--cmdline',
      'quiet',
    );
    const [kernelBytes, ramdiskBytes] = [readFileSync(kernel), readFileSync(ramdisk)];
    const sha1 = createHash('sha1');
    for (const part of bootImageIdParts(kernelBytes, ramdiskBytes)) sha1.update(part);
    const digest = sha1.digest();
    const ours = writeBootImage({
      kernel: kernelBytes,
      ramdisk: ramdiskBytes,
      commandLine: 'quiet',
      os: { version: '9.0.0', patchLevel: '2026-01' },
      pageBytes: 2048,
      id: [0, 4, 8, 12, 16].map((at) => digest.readUInt32LE(at)),
    });
    expect(Buffer.from(ours).equals(theirs)).toBe(true);
  });

  it.each([
    [3, 1580],
    [4, 1584],
  ])('reads version %i by its published layout', async (version, headerBytes) => {
    const bytes = Buffer.alloc(4096 * 4);
    bytes.write('ANDROID!', 0);
    bytes.writeUInt32LE(5000, 8); // kernel_size
    bytes.writeUInt32LE(100, 12); // ramdisk_size
    bytes.writeUInt32LE(((14 << 14) << 11) | ((26 << 4) | 8), 16); // os_version: 14.0.0, 2026-08
    bytes.writeUInt32LE(headerBytes, 20);
    bytes.writeUInt32LE(version, 40);
    bytes.write('quiet', 44);
    const found = await readBootImage(memorySource(bytes));
    expect(found).toMatchObject({
      headerVersion: version,
      commandLine: 'quiet',
      os: { version: '14.0.0', patchLevel: '2026-08' },
    });
    expect(found.parts).toEqual([
      { name: 'kernel', offset: 4096, bytes: 5000 },
      { name: 'ramdisk', offset: 12_288, bytes: 100 },
    ]);
  });

  it('names the field that cannot be', async () => {
    const bytes = Buffer.from(mkbootimg('--header_version', '1', '--pagesize', '2048'));
    const damaged = (at: number, value: number) => {
      const copy = Buffer.from(bytes);
      copy.writeUInt32LE(value, at);
      return readBootImage(memorySource(copy));
    };
    await expect(damaged(36, 1000)).rejects.toMatchObject({ field: 'pageBytes', offset: 36 });
    await expect(damaged(8, 0x7fffffff)).rejects.toMatchObject({ field: 'kernelBytes' });
    await expect(damaged(40, 9)).rejects.toMatchObject({ field: 'headerVersion', offset: 40 });
    await expect(readBootImage(memorySource(bytes.subarray(0, 20)))).rejects.toMatchObject({
      field: 'headerVersion',
    });
    await expect(readBootImage(memorySource(Buffer.from('MZ')))).rejects.toMatchObject({
      field: 'magic',
      offset: 0,
    });
  });
});
