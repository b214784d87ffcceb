// What the builder makes, judged by f2fs-tools: fsck.f2fs finds nothing to mend, dump.f2fs finds what was put in.
import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { closeSync, openSync, readFileSync, truncateSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../../testing/folder.ts';
import { bytesOf, entry, file, label, madeAt } from '../../../../testing/new-files.ts';
import { memorySource } from '../../../bytes/source.ts';
import { BuildError } from '../../file-system/building.ts';
import { F2fs, F2fsBuilder, usedRangesOfF2fs } from '../f2fs.ts';
import { nameHash } from './entries.ts';

const folder = testFolder();
afterAll(folder.remove);

/** What it says, where it finds nothing to mend. */
function fsck(image: string): string {
  const { status, stdout } = spawnSync('fsck.f2fs', ['--dry-run', '-f', image], {
    encoding: 'utf8',
    maxBuffer: 1 << 26,
  });
  expect(stdout.match(/^.*(\[Fail\]|ASSERT|ERR|\[FIX\]).*$/gm) ?? []).toEqual([]);
  expect(status).toBe(0);
  return stdout;
}

const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

async function built(
  name: string,
  bytes: number,
  fill: (builder: F2fsBuilder) => Promise<void>,
): Promise<string> {
  const path = join(folder.path, `${name}.img`);
  writeFileSync(path, '');
  truncateSync(path, bytes);
  const out = openSync(path, 'r+');
  const builder = new F2fsBuilder(
    { bytes, volume: 'data', uuid: bytesOf(16, 7), madeAt },
    {
      write: (offset, part) => {
        expect(offset + part.length).toBeLessThanOrEqual(bytes);
        writeSync(out, part, 0, part.length, offset);
        return Promise.resolve();
      },
    },
  );
  await fill(builder);
  await builder.finish();
  closeSync(out);
  return path;
}

describe.each([
  ['a small one', 96 << 20],
  ['a larger one', 700 << 20],
  ['one whose end makes no segment', (256 << 20) + 12_345],
])('%s', (name, bytes) => {
  it('has nothing for fsck.f2fs to mend, empty and with files', async () => {
    const empty = await built(`${name} empty`, bytes, () => Promise.resolve());
    expect(fsck(empty)).toMatch(/valid_inode_count matched with CP\s+\[Ok\.\.\] \[0x1\]/);
    const full = await built(name, bytes, async (builder) => {
      await builder.add(entry('/', 'directory', { permissions: 0o771, uid: 1000, gid: 1000 }));
      await builder.add(entry('/app', 'directory', { attributes: [label('u:object_r:apk_data_file:s0')] }));
      // More than one table of a directory holds.
      for (let i = 0; i < 900; i++)
        await builder.add(file(`/app/a rather long name of a file ${i}`, bytesOf(i % 90, 3)));
      await builder.add(entry('/app/within', 'directory'));
      await builder.add(file('/app/within/large', bytesOf(15_000_001, 31)));
      await builder.add(entry('/app/short', 'link', { target: 'large', permissions: 0o777 }));
      await builder.add(entry('/app/long', 'link', { target: 'x/../'.repeat(30), permissions: 0o777 }));
      builder.link('/app/again', '/app/within/large');
    });
    expect(fsck(full)).toMatch(/hard_link_count\D+0x1|hard link/i);
  });
});

describe('what was put in', () => {
  const large = bytesOf(40 << 20, 13);
  const database = bytesOf(5000, 11);
  let image: string;

  it('is found by dump.f2fs, and by our own reader with owners, modes, times, links and attributes', async () => {
    image = await built('facts', 256 << 20, async (builder) => {
      await builder.add(entry('/data', 'directory', { permissions: 0o771, uid: 1000, gid: 1000 }));
      await builder.add(
        file('/data/app.db', database, {
          permissions: 0o4660,
          uid: 10_061,
          gid: 70_061,
          modifiedAt: 5_000_000_000,
          attributes: [label('u:object_r:app_data_file:s0:c61,c256')],
        }),
      );
      // Attributes too large for an inode.
      await builder.add(
        file('/data/large', large, {
          attributes: [
            { name: 'user.note', value: bytesOf(900, 5) },
            label('u:r:x:s0'),
            { name: 'user.a', value: bytesOf(7, 1) },
          ],
        }),
      );
      await builder.add(entry('/data/link', 'link', { target: '/data/app.db' }));
      builder.link('/data/hard', '/data/app.db');
    });
    fsck(image);
    const fs = await F2fs.open(memorySource(readFileSync(image)));
    const found = (await fs.find('/data/app.db'))!;
    expect(found).toMatchObject({
      ...{ permissions: 0o4660, uid: 10_061, gid: 70_061, links: 2, bytes: 5000, modifiedAt: 5_000_000_000 },
    });
    expect(await fs.attributes(found)).toEqual([label('u:object_r:app_data_file:s0:c61,c256')]);
    const inData = await fs.list((await fs.find('/data'))!);
    const { inode: link } = inData.find(({ name }) => name === 'link')!;
    expect(await fs.linkTarget(await fs.inode(link))).toBe('/data/app.db');
    expect((await fs.find('/data/hard'))!.number).toBe(found.number);
    const other = (await fs.find('/data/large'))!;
    expect((await fs.attributes(other)).map(({ name, value }) => `${name} ${value.length}`)).toEqual([
      'user.note 900',
      'security.selinux 9',
      'user.a 7',
    ]);
    expect(sha256(await fs.read(other, large.length))).toBe(sha256(large));
    // The tool asks before it writes, into the folder that it runs in.
    const say = execFileSync('dump.f2fs', ['-i', String(other.number), image], {
      cwd: folder.path,
      input: 'Y\n',
      encoding: 'utf8',
    });
    expect(say).toMatch(/large/);
    expect(sha256(readFileSync(join(folder.path, 'lost_found', 'large')))).toBe(sha256(large));
  });

  it('is what is in use, and no more', async () => {
    const bytes = readFileSync(image);
    const kept = Buffer.alloc(bytes.length);
    for (const range of await usedRangesOfF2fs(memorySource(bytes)))
      bytes.copy(kept, range.offset, range.offset, range.offset + range.bytes);
    const path = join(folder.path, 'used.img');
    writeFileSync(path, kept);
    fsck(path);
    expect(kept.includes(Buffer.from(database.subarray(0, 4096)))).toBe(true);
  });

  it('keeps the blocks that it lay in', async () => {
    const fs = await F2fs.open(memorySource(readFileSync(image)));
    const found = (await fs.find('/data/large'))!;
    const lies = (await fs.places(found))!.map(({ offset, bytes }) => ({
      block: offset / 4096,
      count: Math.ceil(bytes / 4096),
    }));
    const again = join(folder.path, 'again.img');
    writeFileSync(again, readFileSync(image));
    const out = openSync(again, 'r+');
    const builder = new F2fsBuilder(
      { bytes: 256 << 20, volume: 'data', uuid: bytesOf(16, 8), madeAt },
      {
        write: (offset, part) => {
          writeSync(out, part, 0, part.length, offset);
          return Promise.resolve();
        },
      },
    );
    expect(builder.reserve(lies)).toBe(true);
    expect(builder.reserve(lies)).toBe(false);
    for (let i = 0; i < 40; i++) await builder.add(file(`/${i}`, bytesOf(200_000, i)));
    await builder.add(entry('/large', 'file', { bytes: large.length, lies }));
    await builder.finish();
    closeSync(out);
    fsck(again);
    const after = await F2fs.open(memorySource(readFileSync(again)));
    expect(sha256(await after.read((await after.find('/large'))!, large.length))).toBe(sha256(large));
    expect(await after.find('/data')).toBeUndefined();
  });
});

it('hashes names as sload.f2fs does', () => {
  const tree = join(folder.path, 'tree');
  const names = [
    'a',
    'ab',
    'exactly sixteen!',
    'seventeen letters',
    'größer als sechzehn Bytes und mehr',
    'x'.repeat(255),
  ];
  execFileSync('mkdir', [tree]);
  for (const name of names) writeFileSync(join(tree, name), name);
  const image = join(folder.path, 'sload.img');
  writeFileSync(image, '');
  truncateSync(image, 96 << 20);
  execFileSync('mkfs.f2fs', ['-q', '-f', image]);
  execFileSync('sload.f2fs', ['-f', tree, image], { stdio: 'ignore' });
  const bytes = readFileSync(image);
  for (const name of names) {
    const hash = Buffer.alloc(4);
    hash.writeUInt32LE(nameHash(Buffer.from(name)));
    const length = Buffer.alloc(2);
    length.writeUInt16LE(Buffer.byteLength(name));
    // An entry: the hash, the inode, the name's length, and that it is a file.
    const isThere = (at: number) => bytes.subarray(at + 8, at + 10).equals(length) && bytes[at + 10] === 1;
    let at = bytes.indexOf(hash);
    while (at >= 0 && !isThere(at)) at = bytes.indexOf(hash, at + 1);
    expect(at, name).toBeGreaterThan(0);
  }
});

describe('what makes no sense', () => {
  const fails = (fill: (builder: F2fsBuilder) => Promise<void>, bytes = 64 << 20) =>
    expect(built(`wrong ${Math.random()}`, bytes, fill)).rejects;

  it('is refused with words', async () => {
    await fails((builder) => builder.add(file('/nowhere/a', bytesOf(3, 1)))).toThrow(/lies in no directory/);
    await fails((builder) => builder.add(file('/a', bytesOf(3, 1), { bytes: 4 }))).toThrow(
      /ended after 3 of 4/,
    );
    await fails((builder) => builder.add(file('/a', bytesOf(60 << 20, 1)))).toThrow(/No space left/);
    await fails((builder) => Promise.resolve(builder.link('/b', '/a'))).toThrow(BuildError);
    await fails(() => Promise.resolve(), 8 << 20).toThrow(/too few/);
  });
});
