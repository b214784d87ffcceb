import { describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { readPackageMetadata } from '../formats/package-metadata/package-metadata.ts';
import { contentsFormat, parseContents, type Contents } from './contents.ts';
import { contentNote, partitionFor, planImport, type IncomingFile } from './import-plan.ts';

const knot5 = ['boot_a', 'boot_b', 'init_boot_a', 'super', 'userdata', 'modem_a', 'vendor_secret'];
const file = (path: string, over: Partial<IncomingFile> = {}): IncomingFile => ({
  path,
  bytes: 1000,
  layers: ['raw'],
  imageBytes: 4096,
  ...over,
});

describe('the partition that a file name speaks of', () => {
  it.each([
    ['boot.img', [], 'boot'],
    ['Recovery.IMG', [], 'recovery'],
    ['a folder/vbmeta_system.img.gz', [], 'vbmeta_system'],
    ['userdata-files.tar.zst', knot5, 'userdata-files'],
    ['system-2of3.simg', [], 'system'],
    ['init_boot_a.img', knot5, 'init_boot_a'],
    ['VENDOR_SECRET.bin', knot5, 'vendor_secret'],
    ['knot5-2026.super.raw.xz', knot5, 'super'],
    ['my init_boot_a.img', knot5, 'init_boot_a'],
    ['gpt-backup.img', [], 'gpt-backup'],
    ['holiday.img', [], undefined],
    ['holiday.img', knot5, undefined],
  ])('%s, of a phone with %j, is %s', (path, known, partition) => {
    expect(partitionFor(path, known).partition).toBe(partition);
  });

  it('is of the slot that starts where the phone has two, and doubted where it has none of that name', () => {
    expect(partitionFor('boot.img', knot5)).toEqual({
      partition: 'boot_a',
      note: 'For slot a, from which it starts; choose the other if that is meant.',
    });
    expect(partitionFor('boot.img', knot5, 'b').partition).toBe('boot_b');
    expect(partitionFor('cache.img', knot5)).toEqual({
      partition: 'cache',
      note: 'The phone is not known to have such a partition.',
    });
  });
});

describe('what a file holds', () => {
  it.each([
    ['boot_a', ['gzip', 'boot image'], undefined],
    ['recovery', ['ext4'], undefined],
    ['boot_a', ['sparse image', 'ext4'], 'It holds ext4, which is unusual for boot_a.'],
    ['system', ['boot image'], 'It holds a boot image, which is unusual for system.'],
    ['super', ['logical partitions'], undefined],
    ['vbmeta', ['raw'], undefined],
  ])('in %s, %j: %s', (partition, layers, note) => {
    expect(contentNote(partition, layers)).toBe(note);
  });
});

const contents: Contents = {
  format: contentsFormat,
  version: 1,
  label: 'as received',
  note: '',
  phone: { serial: 'S1', maker: 'Tidewell', model: 'Knot 5', nickname: 'North hide' },
  mode: 'recovery',
  condition: { kind: 'rooted', androidVersion: '14', encrypted: true },
  createdAt: '2026-09-22T10:00:00.000Z',
  images: [
    {
      partition: 'modem_a',
      role: 'radio',
      bytes: 8192,
      sha256: 'ab'.repeat(32),
      ranges: [{ offset: 0, bytes: 4096 }],
      files: ['first of all.img.zst'],
    },
  ],
};

describe('an import', () => {
  it('makes one image of the parts of a sparse one, in their order', () => {
    const parts = [11, 2, 1, 3, 4, 5, 6, 7, 8, 9, 10].map((n) => file(`f/system-${n}of11.simg`));
    const [planned, ...others] = planImport(parts, [], undefined);
    expect(others).toEqual([]);
    expect(planned!.paths.slice(0, 3)).toEqual([1, 2, 3].map((n) => `f/system-${n}of11.simg`));
    expect(planned).toMatchObject({ partition: 'system', bytes: 11_000, notes: [] });
  });

  it('misses parts that did not come', () => {
    const [planned] = planImport([file('system-1of3.simg'), file('system-3of3.simg')], [], undefined);
    expect(planned!.fault).toBe('3 parts belong together and 2 are here.');
    expect(planned!.partition).toBeUndefined();
  });

  it('goes by the list that came along before it goes by names', () => {
    const [planned] = planImport([file('x/first of all.img.zst')], knot5, contents);
    expect(planned).toMatchObject({ partition: 'modem_a', listed: contents.images[0] });
  });

  it('passes on why a file cannot be used, and makes no guess for it', () => {
    const [planned] = planImport([file('boot.img', { fault: 'It is empty.' })], [], undefined);
    expect(planned).toMatchObject({ fault: 'It is empty.' });
    expect(planned!.partition).toBeUndefined();
  });
});

describe('the list that stands beside an export', () => {
  it('is read as it was written', () => {
    expect(parseContents(JSON.stringify(contents))).toEqual(contents);
    const firmware = {
      ...contents,
      condition: {
        kind: 'stock' as const,
        product: { maker: 'Quern', model: 'Knot 5' },
        package: readPackageMetadata('pre-device=knot5\npost-sdk-level=34\npost-timestamp=1777593600\n'),
      },
    };
    expect(parseContents(JSON.stringify(firmware))).toEqual(firmware);
  });

  it.each([
    ['another format', { format: 'something' }],
    ['a newer version', { version: 2 }],
    ['a phone without a serial', { phone: { ...contents.phone, serial: '' } }],
    ['a mode that there is not', { mode: 'sideways' }],
    ['a package of no shape', { condition: { kind: 'stock', package: { devices: 'knot5' } } }],
    ['a digest too short', { images: [{ ...contents.images[0], sha256: 'ab' }] }],
    [
      'ranges behind the end',
      { images: [{ ...contents.images[0], ranges: [{ offset: 8000, bytes: 500 }] }] },
    ],
    [
      'ranges that overlap',
      { images: [{ ...contents.images[0], ranges: [0, 10].map((offset) => ({ offset, bytes: 20 })) }] },
    ],
    ['a size that is none', { images: [{ ...contents.images[0], bytes: -1 }] }],
    ['no time', { createdAt: 'yesterday' }],
  ])('is refused with %s', (_what, change) => {
    expect(parseContents(JSON.stringify({ ...contents, ...change }))).toBeUndefined();
  });

  it('is refused when it is anything else', () => {
    fc.assert(fc.property(fc.json(), (text) => parseContents(text) === undefined));
    expect(parseContents('{"format":')).toBeUndefined();
  });
});
