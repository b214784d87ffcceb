import { describe, expect, it } from 'vitest';
import { memorySource } from '../../bytes/source.ts';
import { vendorBoot } from '../../testing/vendor-boot.ts';
import { readVendorBoot, writeVendorBoot } from './boot-image.ts';

const read = (bytes: Buffer) => readVendorBoot(memorySource(bytes));

describe('vendor boot images', () => {
  it('of version 4 tell their parts and every ramdisk', async () => {
    const bytes = vendorBoot(4);
    expect(await read(bytes)).toEqual({
      headerVersion: 4,
      pageBytes: 4096,
      name: 'knot5',
      commandLine: 'console=ttyS0',
      parts: [
        { name: 'ramdisks', offset: 4096, bytes: 5900 },
        { name: 'dtb', offset: 12288, bytes: 300 },
        { name: 'ramdiskTable', offset: 16384, bytes: 216 },
        { name: 'bootconfig', offset: 20480, bytes: 27 },
      ],
      ramdisks: [
        { name: '', type: 'platform', offset: 4096, bytes: 5000 },
        { name: 'dlkm', type: 'dlkm', offset: 9096, bytes: 900 },
      ],
      bytes: bytes.length,
    });
  });

  it('of version 3 have one ramdisk section and nothing behind the device tree', async () => {
    const found = await read(vendorBoot(3));
    expect(found.parts.map(({ name }) => name)).toEqual(['ramdisks', 'dtb']);
    expect(found.ramdisks).toEqual([]);
  });

  it.each([
    ['magic', (bytes: Buffer) => bytes.write('ANDROID!', 0)],
    ['headerVersion', (bytes: Buffer) => bytes.writeUInt32LE(5, 8)],
    ['pageBytes', (bytes: Buffer) => bytes.writeUInt32LE(3000, 12)],
    ['headerBytes', (bytes: Buffer) => bytes.writeUInt32LE(2112, 2096)],
    ['ramdisksBytes', (bytes: Buffer) => bytes.writeUInt32LE(0x7fffffff, 24)],
    ['tableEntries', (bytes: Buffer) => bytes.writeUInt32LE(99, 2116)],
    ['tableEntries', (bytes: Buffer) => bytes.writeUInt32LE(8, 2120)],
    ['ramdiskOffset', (bytes: Buffer) => bytes.writeUInt32LE(9000, 16384 + 4)],
  ])('name %s when it makes no sense', async (field, change) => {
    await expect(read(vendorBoot(4, change))).rejects.toMatchObject({ name: 'FormatError', field });
  });
});

it('vendor boot images are read as they were written', async () => {
  const plan = {
    ramdisk: Uint8Array.from({ length: 5000 }, (_, i) => i % 251),
    dtb: Uint8Array.from({ length: 300 }, (_, i) => i % 13),
    name: 'quern',
    commandLine: 'console=ttyQ0',
    bootconfig: 'androidboot.hardware=quern\n',
  };
  const bytes = writeVendorBoot(plan);
  const found = await readVendorBoot(memorySource(bytes));
  expect(found).toMatchObject({ headerVersion: 4, name: 'quern', commandLine: 'console=ttyQ0' });
  const part = (name: string) => {
    const { offset, bytes: length } = found.parts.find((each) => each.name === name)!;
    return bytes.slice(offset, offset + length);
  };
  expect(part('dtb')).toEqual(plan.dtb);
  expect(found.ramdisks).toMatchObject([{ type: 'platform', bytes: 5000 }]);
  const [ramdisk] = found.ramdisks;
  expect(bytes.slice(ramdisk!.offset, ramdisk!.offset + 5000)).toEqual(plan.ramdisk);
});
