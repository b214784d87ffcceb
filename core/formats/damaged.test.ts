import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { FormatError } from '../bytes/format-error.ts';
import { memorySource } from '../bytes/source.ts';
import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { testFolder } from '../../testing/folder.ts';
import { sparsePieces, sparseSource } from './android-sparse/android-sparse.ts';
import { readBootImage, readVendorBoot, writeBootImage } from './boot-image/boot-image.ts';
import { readRamdisk } from './boot-image/ramdisk.ts';
import { readCpio, writeCpio } from './cpio/cpio.ts';
import { Ext4, type Inode } from './ext4/ext4.ts';
import { readErofs } from './erofs/erofs.ts';
import { readF2fs } from './f2fs/f2fs.ts';
import { readGpt, writeGpt } from './gpt/gpt.ts';
import { logicalSource, readLogicalPartitions } from './logical-partitions/logical-partitions.ts';
import { matchesHash, readVbmeta, verifyVbmeta } from './verified-boot/verified-boot.ts';
import { maxBytes, superImage } from '../testing/super.ts';
import { descriptors, keys, vbmeta } from '../testing/vbmeta.ts';
import { vendorBoot } from '../testing/vendor-boot.ts';
import { joinBytes } from '../bytes/join.ts';
import { utf8 } from '../bytes/text.ts';
import { contentsFormat, parseContents } from '../larder/contents.ts';
import { parseAdbPublicKey } from '../protocols/adb/auth.ts';
import { commands, packetHeaderBytes, PacketParser } from '../protocols/adb/packet.ts';
import {
  answerBytes,
  handshake,
  maxCommandBytes,
  messageLength,
  MessageParser,
  parseAnswer,
} from '../protocols/fastboot/fastboot-messages.ts';
import { loaderHeaderBytes, LoaderParser } from '../protocols/loader/loader-messages.ts';
import { readBinaryXml } from './apk/binary-xml.ts';
import { signerIn } from './apk/der.ts';
import { readApk, writeApk } from './apk/apk.ts';
import { manifestOf } from './apk/manifest.ts';
import { Resources } from './apk/resources.ts';
import { readZipDirectory, readZipEntry } from './apk/zip.ts';
import { checksumsIn } from './checksum-files/checksum-files.ts';
import { inspectImage } from './inspect/inspect.ts';

/** Bytes with a few places changed, cut off somewhere, or both. */
const damage = (original: Uint8Array, hot: number) =>
  fc
    .record({
      // Most changes go where the structures are, at the start.
      changes: fc.array(
        fc.tuple(
          fc.oneof(
            { weight: 4, arbitrary: fc.nat(hot - 1) },
            { weight: 1, arbitrary: fc.nat(original.length - 1) },
          ),
          fc.integer({ min: 0, max: 255 }),
        ),
        { minLength: 1, maxLength: 8 },
      ),
      keep: fc.oneof(
        { weight: 3, arbitrary: fc.constant(original.length) },
        { weight: 1, arbitrary: fc.nat(original.length) },
      ),
    })
    .map(({ changes, keep }) => {
      const bytes = new Uint8Array(original.subarray(0, keep));
      for (const [at, value] of changes) if (at < bytes.length) bytes[at] = value;
      return bytes;
    });

/** A reader answers or throws a FormatError that says where; anything else is a fault of ours. */
async function isTotal(read: () => Promise<unknown>): Promise<void> {
  try {
    await read();
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    expect(error.field).not.toBe('');
    expect(error.offset).toBeGreaterThanOrEqual(0);
  }
}

const linuxData = '0FC63DAF-8483-4772-8E79-3D69D8477DE4';
/** `npm run fuzz` asks for more of them. */
const runs = { numRuns: Number(process.env['KEEN_LARDER_FUZZ_RUNS'] ?? 400), seed: 20261124 };
const fuzzTimeoutMs = 3_600_000;

describe('readers fed with damaged bytes', { timeout: fuzzTimeoutMs }, () => {
  const folder = testFolder();
  let ext4: Uint8Array;
  let ext2: Uint8Array;
  beforeAll(() => {
    const root = join(folder.path, 'root');
    mkdirSync(join(root, 'a/b'), { recursive: true });
    writeFileSync(join(root, 'a/b/file'), 'x'.repeat(30_000));
    writeFileSync(join(root, 'note'), 'short');
    symlinkSync('a/b', join(root, 'link'));
    const make = (...options: string[]) => {
      const image = join(folder.path, 'fs.img');
      execFileSync('mke2fs', ['-q', '-F', ...options, '-b', '1024', '-N', '32', '-d', root, image, '512'], {
        stdio: 'ignore',
      });
      return readFileSync(image);
    };
    ext4 = make('-t', 'ext4', '-O', '^has_journal,inline_data', '-I', '256');
    ext2 = make('-t', 'ext2');
    return folder.remove;
  });

  describe('of APKs', () => {
    const apk = writeApk(
      {
        package: 'example.marshlog',
        versionCode: 4,
        versionName: '4',
        minSdk: 24,
        targetSdk: 28,
        label: 'Marshlog',
        icon: utf8('PNG'),
        permissions: ['android.permission.CAMERA'],
        duties: ['home', 'keyboard', 'launcher'],
        files: [],
      },
      {
        certificate: new Uint8Array(300).fill(0x30),
        publicKey: new Uint8Array(200),
        sha256: (bytes) => createHash('sha256').update(bytes).digest(),
        sign: () => new Uint8Array(256),
      },
    );
    const inner = async (name: string) => {
      const source = memorySource(apk);
      const { entries } = await readZipDirectory(source);
      return readZipEntry(
        source,
        entries.find((each) => each.name === name)!,
        1 << 20,
      );
    };
    // What is packed has a checksum of its own; behind that, damage would never be seen.
    const tail = (bytes: Uint8Array) => Uint8Array.from(bytes).reverse();
    it.each([
      [
        'the archive and its signers',
        () => Promise.resolve(apk),
        (bytes: Uint8Array) => readApk(memorySource(bytes)),
      ],
      [
        'the archive, damaged at its end',
        () => Promise.resolve(tail(apk)),
        (bytes: Uint8Array) => readApk(memorySource(tail(bytes))),
      ],
      [
        'the manifest',
        () => inner('AndroidManifest.xml'),
        (bytes: Uint8Array) => Promise.resolve().then(() => manifestOf(readBinaryXml(bytes))),
      ],
      [
        'the resources',
        () => inner('resources.arsc'),
        (bytes: Uint8Array) => Promise.resolve().then(() => new Resources(bytes).values(0x7f010000)),
      ],
      [
        'a PKCS #7 signature',
        () => Promise.resolve(Uint8Array.of(0x30, 10, 6, 1, 1, 0xa0, 5, 0x30, 3, 0xa0, 1, 0)),
        (bytes: Uint8Array) => Promise.resolve().then(() => signerIn(bytes)),
      ],
    ] as const)('%s', async (_name, whole, read) => {
      const bytes = await whole();
      await fc.assert(
        fc.asyncProperty(damage(bytes, Math.min(bytes.length, 2000)), (damaged) =>
          isTotal(() => read(damaged)),
        ),
        runs,
      );
    });
  });

  it('GPT', async () => {
    const bytes = new Uint8Array(300 * 512);
    const partitions = ['boot', 'efs'].map((name, i) => ({
      name,
      typeGuid: linuxData,
      uniqueGuid: linuxData,
      firstLba: 40 + i * 50,
      lastLba: 80 + i * 50,
    }));
    for (const piece of writeGpt({
      sectorBytes: 512,
      diskBytes: bytes.length,
      diskGuid: linuxData,
      partitions,
    }))
      bytes.set(piece.bytes, piece.offset);
    await fc.assert(
      fc.asyncProperty(damage(bytes, 1400), (damaged) => isTotal(() => readGpt(memorySource(damaged)))),
      runs,
    );
  });

  it('boot image', async () => {
    const image = writeBootImage({
      kernel: new Uint8Array(3000),
      ramdisk: new Uint8Array(900),
      commandLine: 'x',
      os: { version: '9.0.0', patchLevel: '2026-03' },
      pageBytes: 2048,
    });
    await fc.assert(
      fc.asyncProperty(damage(image, 1700), (damaged) => isTotal(() => readBootImage(memorySource(damaged)))),
      runs,
    );
  });

  it.each(['ext4', 'ext2'])('%s: superblock, directories, files, links and attributes', async (kind) => {
    const image = kind === 'ext4' ? ext4 : ext2;
    const readAll = async (bytes: Uint8Array) => {
      const fs = await Ext4.open(memorySource(bytes));
      const seen = new Set<number>();
      const visit = async (inode: Inode): Promise<void> => {
        if (seen.has(inode.number) || seen.size > 200) return;
        seen.add(inode.number);
        await fs.attributes(inode);
        if (inode.type === 'link') await fs.linkTarget(inode);
        if (inode.type === 'file') await fs.read(inode, 1 << 20);
        if (inode.type === 'directory')
          for (const entry of await fs.list(inode)) await visit(await fs.inode(entry.inode));
      };
      await visit(await fs.inode(2));
    };
    await readAll(image);
    await fc.assert(
      fc.asyncProperty(damage(image, 24 * 1024), (damaged) => isTotal(() => readAll(damaged))),
      runs,
    );
  });

  it('sparse image', async () => {
    const bytes = new Uint8Array(200);
    const view = new DataView(bytes.buffer);
    [0xed26ff3a, 1, 28 | (12 << 16), 64, 3, 2].forEach((word, i) => view.setUint32(i * 4, word, true));
    [0xcac1, 1, 12 + 64].forEach((word, i) => view.setUint32(28 + i * 4, word, true));
    [0xcac3, 2, 12].forEach((word, i) => view.setUint32(28 + 76 + i * 4, word, true));
    const readAll = async (input: Uint8Array) => {
      for await (const piece of sparsePieces(memorySource(input))) void piece;
      const source = await sparseSource(memorySource(input));
      await source.read(0, Math.min(source.bytes, 100_000));
    };
    await readAll(bytes);
    await fc.assert(
      fc.asyncProperty(damage(bytes, 120), (damaged) => isTotal(() => readAll(damaged))),
      runs,
    );
  });

  it('vendor boot image', async () => {
    const image = new Uint8Array(vendorBoot(4));
    await fc.assert(
      fc.asyncProperty(damage(image, 2200), (damaged) =>
        isTotal(() => readVendorBoot(memorySource(damaged))),
      ),
      runs,
    );
  });

  it('verified-boot metadata: descriptors, signature, hashes', async () => {
    const signer = keys(2048);
    const image = new Uint8Array(
      vbmeta({ algorithm: 1, hash: 'sha256', signer, listed: descriptors(signer) }),
    );
    await fc.assert(
      fc.asyncProperty(damage(image, 900), (damaged) =>
        isTotal(async () => {
          const found = await readVbmeta(memorySource(damaged));
          verifyVbmeta(found);
          for (const each of found.descriptors) {
            if (each.kind === 'hash') await matchesHash(each, memorySource(image));
          }
        }),
      ),
      { ...runs, numRuns: Math.min(runs.numRuns, 20_000) },
    );
  });

  it('logical partitions, with checksums made right again', async () => {
    // Small: one slot's copies lie at 12288 and behind; what follows is not needed.
    const image = new Uint8Array(superImage().subarray(0, 12288 + 4 * maxBytes));
    const tables = { start: 12288 + 256, bytes: 3 * 52 + 3 * 24 + 2 * 48 + 64 };
    const place = fc.tuple(fc.nat(255 + tables.bytes), fc.integer({ min: 0, max: 255 }));
    await fc.assert(
      fc.asyncProperty(fc.array(place, { minLength: 1, maxLength: 6 }), (changes) => {
        const bytes = new Uint8Array(image);
        for (const [at, value] of changes) bytes[12288 + at] = value;
        const sum = (from: number, to: number) =>
          createHash('sha256').update(bytes.subarray(from, to)).digest();
        bytes.set(sum(tables.start, tables.start + tables.bytes), 12288 + 48);
        bytes.fill(0, 12288 + 12, 12288 + 44);
        bytes.set(sum(12288, 12288 + 256), 12288 + 12);
        return isTotal(async () => {
          const source = memorySource(bytes);
          const { partitions } = await readLogicalPartitions(source);
          for (const each of partitions)
            await logicalSource(each, [source]).read(0, Math.min(each.bytes, 5000));
        });
      }),
      runs,
    );
  });

  it.each([
    ['f2fs', 0xf2f52010, readF2fs],
    ['erofs', 0xe0f5e1e2, readErofs],
  ] as const)('%s superblock', async (_name, magic, read) => {
    const image = new Uint8Array(64 * 1024);
    const view = new DataView(image.buffer);
    view.setUint32(1024, magic, true);
    image[1024 + 12] = 12;
    image[1024 + 16] = 12;
    view.setUint32(1024 + 36, 16, true);
    await fc.assert(
      fc.asyncProperty(damage(image, 1200), (damaged) => isTotal(() => read(memorySource(damaged)))),
      runs,
    );
  });

  it('cpio archive', async () => {
    const archive = writeCpio([
      { path: 'init', mode: 0o100750, content: Uint8Array.of(1, 2, 3) },
      { path: 'prop.default', mode: 0o100644, content: new TextEncoder().encode('a=b\n') },
    ]);
    expect(readCpio(archive).map(({ path, mode, content }) => [path, mode, content.length])).toEqual([
      ['init', 0o100750, 3],
      ['prop.default', 0o100644, 4],
    ]);
    await fc.assert(
      fc.asyncProperty(damage(archive, archive.length), (damaged) =>
        isTotal(() => Promise.resolve(readCpio(damaged))),
      ),
      runs,
    );
  });

  it.each(['gzip', 'lz4'])('ramdisk packed by %s', async (tool) => {
    const entries = [{ path: 'init', mode: 0o100750, content: new Uint8Array(40_000).fill(7) }];
    const packed = execFileSync(tool, tool === 'lz4' ? ['-l', '-c'] : ['-c'], { input: writeCpio(entries) });
    expect((await readRamdisk(packed))?.entries.map(({ path }) => path)).toEqual(['init']);
    await fc.assert(
      fc.asyncProperty(damage(packed, packed.length), (damaged) => isTotal(() => readRamdisk(damaged))),
      runs,
    );
  });

  it.each([
    [
      'messages of a loader',
      joinBytes([loaderHeaderBytes(1, 0, 3), Uint8Array.of(1, 2, 3), loaderHeaderBytes(3, 0, 0)]),
      (bytes: Uint8Array) => [...new LoaderParser().push(bytes)],
    ],
    [
      'messages of a bootloader',
      joinBytes([utf8(handshake), messageLength(6), answerBytes('OKAY', 'ab'), messageLength(0)]),
      (bytes: Uint8Array) =>
        [...new MessageParser(maxCommandBytes).push(bytes)].map(
          (each) => each.length > 3 && parseAnswer(each),
        ),
    ],
    [
      'packets of adb',
      joinBytes([packetHeaderBytes(commands.OPEN, 1, 0, [utf8('shell:')]), utf8('shell:')]),
      (bytes: Uint8Array) => [...new PacketParser().push(bytes)],
    ],
    [
      'a public key of adb',
      utf8(
        `${btoa(String.fromCharCode(64, ...Array.from({ length: 523 }, (_, i) => (i < 3 ? 0 : i % 256))))} a@b`,
      ),
      (bytes: Uint8Array) => parseAdbPublicKey(String.fromCharCode(...bytes)),
    ],
    [
      'checksums',
      utf8(`${'ab'.repeat(32)} *boot.img\nMD5 (b) = ${'cd'.repeat(16)}\n`),
      (bytes: Uint8Array) => [...checksumsIn(String.fromCharCode(...bytes))],
    ],
    [
      'a list of contents',
      utf8(
        JSON.stringify({ format: contentsFormat, version: 1, label: 'a', note: '', images: [], phone: {} }),
      ),
      (bytes: Uint8Array) => parseContents(String.fromCharCode(...bytes)),
    ],
  ] as const)('%s', async (_name, whole, read) => {
    read(whole);
    await fc.assert(
      fc.asyncProperty(damage(whole, Math.min(whole.length, 600)), (damaged) =>
        isTotal(() => Promise.resolve(read(damaged))),
      ),
      runs,
    );
  });

  it('anything at all, when asked what it is', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 9000 }), (bytes) =>
        isTotal(() => inspectImage(memorySource(bytes))),
      ),
      runs,
    );
    expect(await inspectImage(memorySource(new Uint8Array(10)))).toMatchObject({ format: 'raw', bytes: 10 });
    expect(await inspectImage(memorySource(ext4))).toMatchObject({
      format: 'ext4',
      fields: { 'block size': 1024 },
    });
  });
});
