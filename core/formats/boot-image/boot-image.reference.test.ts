// Judged by Debian's mkbootimg (AOSP system/tools/mkbootimg), which makes versions 0 to 2; versions 3
// and 4 by the published layout (AOSP, bootimg.h).
import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../testing/folder.ts';
import { memorySource } from '../../bytes/source.ts';
import {
  bootImageIdParts,
  readBootImage,
  readVendorBoot,
  writeBootImage,
  writeModernBootImage,
} from './boot-image.ts';

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

  it('reads version 0 with a device tree behind its parts, whose size stands where later versions stand', async () => {
    const bytes = mkbootimg('--header_version', '0', '--pagesize', '4096');
    const tree = readFileSync(dtb);
    const whole = Buffer.concat([bytes, tree, Buffer.alloc(8192 - tree.length)]);
    whole.writeUInt32LE(tree.length, 40);
    const found = await readBootImage(memorySource(whole));
    const { offset, bytes: length } = found.parts.find(({ name }) => name === 'dtb')!;
    expect(whole.subarray(offset, offset + length).equals(tree)).toBe(true);
    expect(found).toMatchObject({ headerVersion: 0, bytes: whole.length });
    await expect(readBootImage(memorySource(bytes.subarray(0, 8192)))).rejects.toMatchObject({
      name: 'FormatError',
    });
    whole.writeUInt32LE(7, 40);
    await expect(readBootImage(memorySource(whole))).rejects.toThrow(/version 7 is unknown/);
  });

  it('writes version 3 as mkbootimg does, but for the size of the header, which Debian’s has wrong', async () => {
    const theirs = mkbootimg(
      ...['--header_version', '3', '--os_version', '14.0.0', '--os_patch_level', '2026-03'],
      ...['--cmdline', 'quiet'],
    );
    const os = { version: '14.0.0', patchLevel: '2026-03' };
    const parts = { kernel: readFileSync(kernel), ramdisk: readFileSync(ramdisk) };
    const ours = writeModernBootImage({ headerVersion: 3, ...parts, commandLine: 'quiet', os });
    expect(Buffer.from(theirs).readUInt32LE(20)).toBe(1596);
    const corrected = Buffer.from(theirs);
    corrected.writeUInt32LE(1580, 20);
    expect(Buffer.from(ours).equals(corrected)).toBe(true);
    expect(await readBootImage(memorySource(theirs))).toMatchObject({
      headerVersion: 3,
      os,
      pageBytes: 4096,
    });
  });

  it('reads vendor boot version 3', async () => {
    const vendor = join(folder.path, 'vendor_boot.img');
    mkbootimg(
      ...['--header_version', '3', '--vendor_boot', vendor, '--vendor_ramdisk', ramdisk, '--dtb', dtb],
      ...['--vendor_cmdline', 'console=ttyQ0', '--board', 'quern', '--pagesize', '4096'],
    );
    const bytes = readFileSync(vendor);
    const found = await readVendorBoot(memorySource(bytes));
    expect(found).toMatchObject({ headerVersion: 3, name: 'quern', commandLine: 'console=ttyQ0' });
    for (const [name, path] of [
      ['ramdisks', ramdisk],
      ['dtb', dtb],
    ] as const) {
      const { offset, bytes: length } = found.parts.find((each) => each.name === name)!;
      expect(bytes.subarray(offset, offset + length).equals(readFileSync(path))).toBe(true);
    }
  });

  it('writes versions 3 and 4 field by field as bootimg.h has them', () => {
    const parts = { kernel: readFileSync(kernel), ramdisk: readFileSync(ramdisk) };
    for (const headerVersion of [3, 4] as const) {
      const image = Buffer.from(
        writeModernBootImage({
          headerVersion,
          ...parts,
          commandLine: 'androidboot.hardware=quern',
          os: { version: '14.0.0', patchLevel: '2026-03' },
        }),
      );
      expect(image.toString('latin1', 0, 8)).toBe('ANDROID!');
      expect(image.readUInt32LE(8)).toBe(parts.kernel.length);
      expect(image.readUInt32LE(12)).toBe(parts.ramdisk.length);
      // Version in the upper 21 bits, seven each; year since 2000 and month in the lower 11.
      expect(image.readUInt32LE(16)).toBe(((14 << 14) << 11) | ((2026 - 2000) << 4) | 3);
      expect(image.readUInt32LE(20)).toBe(headerVersion === 3 ? 1580 : 1584);
      expect(image.readUInt32LE(40)).toBe(headerVersion);
      expect(image.toString('latin1', 44, 44 + 27)).toBe('androidboot.hardware=quern\0');
      if (headerVersion === 4) expect(image.readUInt32LE(1580)).toBe(0);
      const ramdiskAt = 4096 + Math.ceil(parts.kernel.length / 4096) * 4096;
      expect(image.subarray(4096, 4096 + parts.kernel.length).equals(parts.kernel)).toBe(true);
      expect(image.subarray(ramdiskAt, ramdiskAt + parts.ramdisk.length).equals(parts.ramdisk)).toBe(true);
      expect(image.length % 4096).toBe(0);
    }
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
