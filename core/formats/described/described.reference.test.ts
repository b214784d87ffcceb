// What is told of device trees, programs and squashfs, beside Debian's dtc and fdtget, readelf, mksquashfs and unsquashfs. The table of a
// dtbo image is laid out by hand from AOSP's description: no tool that makes one is packaged.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../testing/folder.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { memorySource } from '../../bytes/source.ts';
import { inspectImage, recogniseImage } from '../inspect/inspect.ts';
import { readDeviceTree } from './device-tree.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
const inspect = (bytes: Uint8Array) => inspectImage(memorySource(bytes));

function compiled(name: string, model: string): Buffer {
  const nodes = Array.from({ length: 40 }, (_, i) => `dev${i} { reg = <${i}>; status = "okay"; };`).join(
    '\n',
  );
  writeFileSync(
    at(`${name}.dts`),
    `/dts-v1/;\n/ { model = "${model}"; compatible = "marram,reed2", "quern,q71"; soc { model = "not this"; ${nodes} }; };\n`,
  );
  execFileSync('dtc', ['-q', '-I', 'dts', '-O', 'dtb', '-o', at(name), at(`${name}.dts`)]);
  return readFileSync(at(name));
}

describe('a device tree', () => {
  it('is told as fdtget tells it', async () => {
    const blob = compiled('a.dtb', 'Marram Reed 2, board 3');
    const get = (property: string) =>
      execFileSync('fdtget', [at('a.dtb'), '/', property], { encoding: 'utf8' }).trim();
    const { model, compatible, nodes, bytes } = await readDeviceTree(memorySource(blob));
    expect(model).toBe(get('model'));
    expect(compatible.join(' ')).toBe(get('compatible'));
    expect(nodes).toBe(42);
    expect(bytes).toBe(blob.length);
    expect(await inspect(blob)).toMatchObject({
      format: 'device tree',
      fields: { model: 'Marram Reed 2, board 3', compatible: 'marram,reed2, quern,q71', nodes: 42 },
    });
  });

  it('is told one by one where several stand behind a table', async () => {
    const blobs = [compiled('b.dtb', 'one'), compiled('c.dtb', 'two')];
    const head = Buffer.alloc(32 + 32 * blobs.length);
    let offset = head.length;
    [
      0xd7b7ab1e,
      head.length + blobs[0]!.length + blobs[1]!.length,
      32,
      32,
      blobs.length,
      32,
      4096,
      0,
    ].forEach((word, i) => head.writeUInt32BE(word, i * 4));
    blobs.forEach((blob, i) => {
      [blob.length, offset, 0x100 + i].forEach((word, n) => head.writeUInt32BE(word, 32 + i * 32 + n * 4));
      offset += blob.length;
    });
    const image = Buffer.concat([head, ...blobs, Buffer.alloc(5000)]);
    const found = await inspect(image);
    expect(found).toMatchObject({ format: 'device trees (dtbo)', fields: { trees: 2 } });
    expect(found.inner.map(({ inspection }) => inspection.fields['model'])).toEqual(['one', 'two']);
    await expect(inspect(image.subarray(0, 2000))).rejects.toThrow(/total_size/);
  });

  it('that is damaged is refused with the place, and never runs on', async () => {
    const blob = compiled('d.dtb', 'damaged');
    let refused = 0;
    for (let seed = 0; seed < 1500; seed++) {
      const copy = Buffer.from(blob);
      for (let n = 0; n < 1 + (seed % 4); n++)
        copy[(seed * 7919 + n * 104_729) % copy.length] = (seed * 31 + n * 17) & 0xff;
      await readDeviceTree(memorySource(copy)).catch((error: unknown) => {
        expect(error).toBeInstanceOf(FormatError);
        refused++;
      });
    }
    expect(refused).toBeGreaterThan(50);
    await expect(inspect(blob.subarray(0, blob.length - 100))).rejects.toThrow(/device tree/);
  });
});

describe('a program', () => {
  it.each(['/bin/true', process.execPath])('%s is told as readelf tells it', async (path) => {
    const text = execFileSync('readelf', ['-h', path], {
      encoding: 'utf8',
      env: { ...process.env, LC_ALL: 'C' },
    });
    const of = (name: string) => new RegExp(`${name}:\\s*(.*)`).exec(text)![1]!;
    const { format, fields } = await inspect(readFileSync(path));
    expect(format).toBe('ELF');
    expect(fields['entry']).toBe(of('Entry point address'));
    expect(fields['segments']).toBe(Number(of('Number of program headers')));
    expect(of('Class')).toBe(`ELF${/(\d+) bits/.exec(String(fields['machine']))![1]}`);
    expect(of('Type').startsWith('DYN')).toBe(fields['kind'] === 'shared object');
  });
});

describe('squashfs', () => {
  it.each(['gzip', 'xz', 'zstd', 'lz4'])(
    'packed by %s is told as unsquashfs tells it',
    async (compression) => {
      const tree = at(`tree-${compression}`);
      mkdirSync(tree);
      for (let i = 0; i < 30; i++) writeFileSync(join(tree, `f${i}`), Buffer.alloc(5000, i));
      const image = at(`${compression}.sqfs`);
      execFileSync('mksquashfs', [
        tree,
        image,
        '-comp',
        compression,
        '-b',
        '65536',
        '-quiet',
        '-no-progress',
      ]);
      const told = execFileSync('unsquashfs', ['-s', image], { encoding: 'utf8' });
      const bytes = readFileSync(image);
      const { format, fields, findings } = await inspect(bytes);
      expect(format).toBe('squashfs');
      expect(fields).toMatchObject({ compression, 'block size': 65_536, inodes: 31, version: '4.0' });
      expect(told).toContain(`Compression ${compression}`);
      expect(told).toContain('Block size 65536');
      expect(told).toContain('Number of inodes 31');
      expect(told).toContain(`Filesystem size ${/\((\d+) bytes\)/.exec(String(fields['in use']))![1]} bytes`);
      expect(findings).toEqual([]);
      expect((await inspect(bytes.subarray(0, 300))).findings[0]).toContain('it ends too early');
    },
  );
});

it('is known by its first bytes as well', async () => {
  const kinds: [string, () => Uint8Array][] = [
    ['device tree', () => compiled('mark.dtb', 'marked')],
    ['ELF', () => readFileSync(process.execPath).subarray(0, 20_000)],
    ['FAT16', fat],
    ['raw', () => Buffer.alloc(5000, 'text\n')],
  ];
  for (const [format, bytes] of kinds) expect(await recogniseImage(memorySource(bytes()))).toBe(format);
});

/** As mformat makes it. */
function fat(): Buffer {
  writeFileSync(at('fat'), '');
  execFileSync('mformat', ['-C', '-i', at('fat'), '-T', '40960', '-h', '16', '-s', '63', '::']);
  return readFileSync(at('fat'));
}

describe('a loader with the older header', () => {
  // No tool that makes one is packaged: laid out by hand from the published description (coreboot, mbn_tools.py).
  const loader = (change: (words: number[]) => void = () => {}) => {
    const [address, code, signature, chain] = [0x2a000000, 5000, 256, 6144];
    const words = [
      ...[5, 3, 0, address, code + signature + chain, code],
      ...[address + code, signature, address + code + signature, chain],
    ];
    change(words);
    const bytes = Buffer.alloc(40 + code + signature + chain + 100, 0x5a);
    words.forEach((word, i) => bytes.writeUInt32LE(word, i * 4));
    return bytes;
  };

  it('is told where its sizes and addresses agree', async () => {
    expect(await inspect(loader())).toMatchObject({
      format: 'MBN',
      fields: { image: '0x5', 'loaded to': '0x2a000000', code: '5000 bytes', certificates: '6144 bytes' },
    });
    const bare = loader((words) => {
      words.splice(4, 6, 5000, 5000, 0, 0, 0, 0);
    });
    expect(await inspect(bare)).toMatchObject({ format: 'MBN', fields: { signature: 'none' } });
  });

  it.each([
    ['sizes that do not add up', (words: number[]) => words[4]!++],
    ['a signature that lies elsewhere', (words: number[]) => words[6]!++],
    ['more than the file has', (words: number[]) => (words[4] = words[5] = 1 << 20)],
    ['nothing but zeros', (words: number[]) => words.fill(0)],
  ])('is not supposed with %s', async (_what, change) => {
    expect((await inspect(loader((words) => void change(words)))).format).toBe('raw');
  });
});

describe('the ramdisk of a boot image', () => {
  const root = at('ramdisk-root');
  const packers: [string, string, string[]][] = [
    ['gzip', 'gzip', ['-c']],
    ['lz4', 'lz4', ['-l', '-c']],
    ['none', 'cat', []],
  ];
  const made = () => {
    mkdirSync(join(root, 'first_stage_ramdisk'), { recursive: true });
    writeFileSync(join(root, 'init'), Buffer.alloc(9_000_000, 'program '), { mode: 0o750 });
    writeFileSync(join(root, 'default.prop'), 'ro.product.model=Reed 2\n');
    execFileSync('ln', ['-sf', '/system/bin/init', join(root, 'bin')]);
    execFileSync('bsdtar', ['--format', 'newc', '-cf', at('ramdisk.cpio'), '-C', root, '.']);
    writeFileSync(at('kernel'), Buffer.alloc(5000, 'kernel'));
    return readFileSync(at('ramdisk.cpio'));
  };

  it.each(packers)(
    'is told file by file, packed by %s (bsdtar, mkbootimg)',
    async (packing, tool, options) => {
      const cpio = made();
      writeFileSync(at('ramdisk'), execFileSync(tool, options, { input: cpio, maxBuffer: 1 << 26 }));
      execFileSync('mkbootimg', [
        ...['--kernel', at('kernel'), '--ramdisk', at('ramdisk'), '--header_version', '1'],
        ...['--output', at('boot.img')],
      ]);
      const listed = execFileSync('bsdtar', ['-tf', at('ramdisk.cpio')], { encoding: 'utf8' })
        .trim()
        .split('\n');
      const [ramdisk] = (await inspect(readFileSync(at('boot.img')))).inner;
      expect(ramdisk!.inspection).toMatchObject({
        format: 'ramdisk (cpio)',
        fields: { packing, entries: listed.length },
      });
      expect(ramdisk!.inspection.rows).toEqual(
        expect.arrayContaining(['0750 ./init, 9000000 bytes', '0777 ./bin → /system/bin/init']),
      );
    },
  );

  it('that is damaged is a finding of the image', async () => {
    made();
    const packed = execFileSync('lz4', ['-l', '-c'], { input: readFileSync(at('ramdisk.cpio')) });
    writeFileSync(at('ramdisk'), packed.subarray(0, packed.length - 20_000));
    execFileSync('mkbootimg', [
      '--kernel',
      at('kernel'),
      '--ramdisk',
      at('ramdisk'),
      '--output',
      at('boot.img'),
    ]);
    const found = await inspect(readFileSync(at('boot.img')));
    expect(found.inner[0]!.inspection).toMatchObject({ format: 'damaged' });
    expect(found.inner[0]!.inspection.findings.join()).toMatch(/lz4.*not there/);
  });
});
