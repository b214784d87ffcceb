// Judged by e2fsprogs: mke2fs makes the images, debugfs and dumpe2fs say what is in them, e2fsck says
// whether they are in order.
import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import {
  mkdirSync,
  readFileSync,
  symlinkSync,
  truncateSync,
  linkSync,
  writeFileSync,
  openSync,
  writeSync,
  closeSync,
} from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../testing/folder.ts';
import { copySparse } from '../../../standin/flash/copy.ts';
import { Flash } from '../../../standin/flash/flash.ts';
import { memorySource } from '../../bytes/source.ts';
import { Ext4, withModified, withMount, type Inode } from './ext4.ts';
import { knot3Flash } from '../../../testing/flashes.ts';

const folder = testFolder();
afterAll(folder.remove);
const root = join(folder.path, 'root');
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 26, stdio: ['ignore', 'pipe', 'ignore'] });
const debugfs = (image: string, request: string) => run('debugfs', '-R', request, image);

beforeAll(() => {
  mkdirSync(join(root, 'deep/er/still'), { recursive: true });
  mkdirSync(join(root, 'many'));
  const bytes = (length: number, seed: number) =>
    Uint8Array.from({ length }, (_, i) => (i * seed + (i >> 8)) & 0xff);
  writeFileSync(join(root, 'empty'), '');
  writeFileSync(join(root, 'tiny'), 'sixty bytes or fewer');
  writeFileSync(join(root, 'inline-with-more'), 'x'.repeat(120));
  writeFileSync(join(root, 'large.bin'), bytes(900_001, 31));
  writeFileSync(join(root, 'deep/er/still/grüße.txt'), 'a name in UTF-8');
  for (let i = 0; i < 400; i++)
    writeFileSync(join(root, 'many', `file-with-a-rather-long-name-${i}`), `${i}`);
  symlinkSync('deep/er', join(root, 'short-link'));
  symlinkSync(`${'x/../'.repeat(30)}tiny`, join(root, 'long-link'));
  symlinkSync('/large.bin', join(root, 'absolute-link'));
  linkSync(join(root, 'tiny'), join(root, 'deep/hard-link'));
  // A file of holes with a few blocks far apart, for trees and maps with gaps.
  const sparse = join(root, 'sparse.bin');
  writeFileSync(sparse, '');
  truncateSync(sparse, 40 << 20);
  const fd = openSync(sparse, 'r+');
  // The last one ends the file: mke2fs shortens a hole at the end when inline data is on.
  for (let i = 1; i <= 12; i++)
    writeSync(fd, bytes(5000, i + 3), 0, 5000, Math.floor(((40 << 20) / 12) * i) - 5000);
  closeSync(fd);
});

const variants: [string, string[]][] = [
  ['blocks of 1024 bytes', ['-b', '1024']],
  ['blocks of 2048 bytes', ['-b', '2048']],
  ['blocks of 4096 bytes, as Android 9 makes them', ['-b', '4096', '-O', '^metadata_csum,^64bit']],
  ['64-bit with checksums', ['-b', '4096', '-O', '64bit,metadata_csum']],
  ['block maps, as ext2 has them', ['-t', 'ext2', '-b', '1024']],
  ['block maps with a journal, as ext3 has them', ['-t', 'ext3', '-b', '4096']],
  ['inline data', ['-b', '4096', '-I', '256', '-O', 'inline_data']],
  ['meta block groups', ['-b', '1024', '-O', 'meta_bg,^resize_inode']],
  ['no flexible groups and small groups', ['-b', '1024', '-g', '4096', '-O', '^flex_bg']],
  ['large inodes and no file types', ['-b', '4096', '-I', '512', '-O', '^filetype']],
];

function make(name: string, options: string[]): string {
  const image = join(folder.path, `${name.replace(/\W+/g, '-')}.img`);
  run(
    'mke2fs',
    '-q',
    ...(options.includes('-t') ? [] : ['-t', 'ext4']),
    ...options,
    '-d',
    root,
    image,
    '64M',
  );
  return image;
}

/** Every path below a directory with its inode, by our reader. */
async function walk(
  fs: Ext4,
  directory: Inode,
  path: string,
  found: Map<string, Inode>,
): Promise<Map<string, Inode>> {
  for (const entry of await fs.list(directory)) {
    const inode = await fs.inode(entry.inode);
    found.set(`${path}/${entry.name}`, inode);
    if (inode.type === 'directory') await walk(fs, inode, `${path}/${entry.name}`, found);
  }
  return found;
}

describe.each(variants)('ext4 with %s', (name, options) => {
  let image: string;
  let fs: Ext4;
  let found: Map<string, Inode>;
  beforeAll(async () => {
    image = make(name, options);
    fs = await Ext4.open(memorySource(readFileSync(image)));
    found = await walk(fs, await fs.inode(2), '', new Map());
  });

  it('is in order for e2fsck', () => {
    expect(run('e2fsck', '-fn', image)).toMatch(/\d+\/\d+ files/);
  });

  it('has the superblock that dumpe2fs shows', () => {
    const text = run('dumpe2fs', '-h', image);
    const number = (field: string) => Number(new RegExp(`^${field}:\\s+(\\d+)`, 'm').exec(text)?.[1]);
    expect(fs.superblock).toMatchObject({
      blocks: number('Block count'),
      freeBlocks: number('Free blocks'),
      inodes: number('Inode count'),
      freeInodes: number('Free inodes'),
      blockBytes: number('Block size'),
      inodeBytes: number('Inode size'),
      uuid: /^Filesystem UUID:\s+(\S+)/m.exec(text)?.[1],
      findings: [],
    });
  });

  it('has the names, sizes and inode numbers that debugfs lists', () => {
    for (const directory of ['', '/deep', '/deep/er/still', '/many']) {
      const lines = debugfs(image, `ls -p ${directory || '/'}`)
        .split('\n')
        .filter((line) => line.startsWith('/'));
      const theirs = lines
        .map((line) => line.split('/'))
        .filter((fields) => fields[5] !== '.' && fields[5] !== '..')
        .map((fields) => `${fields[5]} ${fields[1]}`);
      const ours = [...found]
        .filter(
          ([path]) => path.startsWith(`${directory}/`) && !path.slice(directory.length + 1).includes('/'),
        )
        .map(([path, inode]) => `${path.slice(directory.length + 1)} ${inode.number}`);
      expect(ours.sort()).toEqual(theirs.sort());
    }
  });

  it('reads every file as it was put in', async () => {
    for (const [path, inode] of found) {
      if (inode.type !== 'file' || path.startsWith('/many/')) continue;
      const theirs = readFileSync(join(root, path));
      expect([path, inode.bytes]).toEqual([path, theirs.length]);
      expect([path, sha256(await fs.read(inode, 1 << 26))]).toEqual([path, sha256(theirs)]);
    }
    expect(found.get('/tiny')?.links).toBe(2);
  });

  it('reads and follows links', async () => {
    expect(await fs.linkTarget(found.get('/short-link')!)).toBe('deep/er');
    expect(await fs.linkTarget(found.get('/long-link')!)).toBe(`${'x/../'.repeat(30)}tiny`);
    expect((await fs.find('/absolute-link'))?.number).toBe(found.get('/large.bin')?.number);
    expect(await fs.text('/short-link/still/grüße.txt')).toBe('a name in UTF-8');
    expect(await fs.find('/short-link/nowhere')).toBeUndefined();
  });
});

describe('attributes, owners and modes', () => {
  it('are as debugfs set them', async () => {
    const image = make('attributes', ['-b', '4096', '-I', '256']);
    const script = [
      'ea_set /tiny security.selinux u:object_r:app_data_file:s0:c512,c768',
      `ea_set /large.bin user.long ${'v'.repeat(900)}`,
      'set_inode_field /tiny uid 110061',
      'set_inode_field /tiny gid 1023',
      'set_inode_field /tiny mode 0100640',
    ].join('\n');
    execFileSync('debugfs', ['-w', '-f', '-', image], {
      input: `${script}\n`,
      stdio: ['pipe', 'ignore', 'ignore'],
    });
    const fs = await Ext4.open(memorySource(readFileSync(image)));
    const tiny = (await fs.find('/tiny'))!;
    expect(tiny).toMatchObject({ uid: 110061, gid: 1023, permissions: 0o640 });
    const text = async (path: string) =>
      (await fs.attributes((await fs.find(path))!)).map(({ name, value }) => [
        name,
        Buffer.from(value).toString(),
      ]);
    expect(await text('/tiny')).toContainEqual(['security.selinux', 'u:object_r:app_data_file:s0:c512,c768']);
    expect(await text('/large.bin')).toContainEqual(['user.long', 'v'.repeat(900)]);
  });
});

describe('the simulated phone’s file systems', () => {
  it.each(['system', 'userdata', 'cache', 'efs', 'persist'])(
    '%s is in order for e2fsck, also after a mount',
    async (name) => {
      const flash = await Flash.open(await knot3Flash());
      try {
        const device = flash.partition(name)!;
        const image = join(folder.path, `phone-${name}.img`);
        await copySparse(device, image);
        expect(run('e2fsck', '-fn', image)).toMatch(/files/);
        const fd = openSync(image, 'r+');
        writeSync(fd, withMount(await device.read(1024, 1024), 1_795_000_000), 0, 1024, 1024);
        closeSync(fd);
        expect(run('e2fsck', '-fn', image)).toMatch(/files/);
        expect(run('dumpe2fs', '-h', image)).toMatch(/Mount count:\s+1\n/);
      } finally {
        await flash.close();
      }
    },
  );

  it('keeps the checksum right when a checksummed superblock is mounted', () => {
    const image = make('mounted', ['-b', '4096', '-O', '64bit,metadata_csum']);
    const bytes = readFileSync(image);
    bytes.set(withMount(bytes.subarray(1024, 2048), 1_795_000_000), 1024);
    writeFileSync(image, bytes);
    expect(run('e2fsck', '-fn', image)).toMatch(/files/);
  });

  it.each([
    ['with checksums', '64bit,metadata_csum'],
    ['without', '^64bit,^metadata_csum'],
  ])('keeps the file system right when a file changed at another time, %s', async (name, features) => {
    const image = make(`touched-${name.replaceAll(' ', '-')}`, ['-b', '4096', '-O', features]);
    const bytes = readFileSync(image);
    const fs = await Ext4.open(memorySource(bytes));
    const [entry] = (await fs.list(await fs.inode(2))).filter((each) => each.name !== 'lost+found');
    const inode = await fs.inode(entry!.inode);
    const record = bytes.subarray(inode.offset, inode.offset + fs.superblock.inodeBytes);
    bytes.set(withModified(record, inode.number, bytes.subarray(1024, 2048), 1_795_000_000), inode.offset);
    writeFileSync(image, bytes);
    expect(run('e2fsck', '-fn', image)).toMatch(/files/);
    expect(run('debugfs', '-R', `stat <${inode.number}>`, image)).toMatch(/mtime: 0x6afd86c0/);
  });
});
