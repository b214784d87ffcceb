// A simulated phone's changes to an ext4, judged by e2fsprogs: e2fsck finds nothing to mend, debugfs finds what is to
// be there. Those to an f2fs are judged by fsck.f2fs; what its files hold by our own reader, which dump.f2fs judges elsewhere. What stays keeps its bytes, whoever made the file system.
import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, linkSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { testFolder } from '../testing/bench.ts';
import { editTree, formatDevice, type Addition } from './flash/file-tree.ts';
import type { Device } from './flash/flash.ts';

const folder = testFolder();
afterAll(folder.remove);
const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 26, stdio: ['ignore', 'pipe', 'pipe'] });
const bytesOf = (length: number, seed: number) =>
  Uint8Array.from({ length }, (_, i) => (i * seed + (i >> 8)) & 0xff);
const sha = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

/** An image file as a device that counts what is written to it. */
async function deviceOn(path: string) {
  const file = await open(path, 'r+');
  const { size } = await file.stat();
  const written = { bytes: 0 };
  const device: Device = {
    bytes: size,
    async read(offset, length, into = new Uint8Array(length)) {
      return into.subarray(0, (await file.read(into, 0, length, offset)).bytesRead);
    },
    async write(offset, bytes) {
      written.bytes += bytes.length;
      await file.write(bytes, 0, bytes.length, offset);
    },
  };
  return { device, written, close: () => file.close() };
}

const common = { permissions: 0o644, uid: 10_081, gid: 10_081, modifiedAt: 1_780_000_000 } as const;
const label = { name: 'security.selinux', value: Buffer.from('u:object_r:app_data_file:s0:c81\0') };
const fileAt = (path: string, bytes: Uint8Array): Addition => ({
  ...common,
  path,
  type: 'file',
  attributes: [label],
  bytes: bytes.length,
  content: onePiece(bytes),
});
const folderAt = (path: string): Addition => ({
  ...common,
  path,
  type: 'directory',
  permissions: 0o771,
  attributes: [label],
});
const large = bytesOf(5_000_003, 31);

/** What each of them holds at first. */
const first: Readonly<Record<string, string>> = Object.fromEntries([
  ['stays/large', sha(large)],
  ['stays/other name', sha(large)],
  ...Array.from({ length: 200 }, (_, i) => [`stays/small ${i}`, sha(bytesOf(i * 40, i))]),
]);

/** Made by the stand-in itself. */
const ofOurOwn =
  (format: 'ext4' | 'f2fs') =>
  async (path: string): Promise<void> => {
    writeFileSync(path, '');
    truncateSync(path, 300 << 20);
    const { device, close } = await deviceOn(path);
    await formatDevice(device, format);
    const adds = [folderAt('/stays'), fileAt('/stays/large', large)];
    for (let i = 0; i < 200; i++) adds.push(fileAt(`/stays/small ${i}`, bytesOf(i * 40, i)));
    adds.push({ path: '/stays/other name', linkTo: '/stays/large' });
    await editTree(device, { adds });
    await close();
  };

/** Made by e2fsprogs in several ways. */
const byMkfs = (options: readonly string[]) => (path: string) => {
  const root = join(folder.path, 'root');
  mkdirSync(join(root, 'stays'), { recursive: true });
  writeFileSync(join(root, 'stays/large'), large);
  for (let i = 0; i < 200; i++) writeFileSync(join(root, `stays/small ${i}`), bytesOf(i * 40, i));
  linkSync(join(root, 'stays/large'), join(root, 'stays/other name'));
  run('mke2fs', '-q', '-t', 'ext4', ...options, '-d', root, path, '300M');
  run('rm', '-r', root);
  return Promise.resolve();
};

/** Made by f2fs-tools. */
function byMkfsF2fs(path: string): Promise<void> {
  const root = join(folder.path, 'root');
  mkdirSync(join(root, 'stays'), { recursive: true });
  writeFileSync(join(root, 'stays/large'), large);
  for (let i = 0; i < 200; i++) writeFileSync(join(root, `stays/small ${i}`), bytesOf(i * 40, i));
  writeFileSync(path, '');
  truncateSync(path, 300 << 20);
  run('mkfs.f2fs', '-q', '-f', path);
  run('sload.f2fs', '-f', root, path);
  run('rm', '-r', root);
  return otherName(path);
}

/** The tool makes two files of one. */
async function otherName(path: string): Promise<void> {
  const { device, close } = await deviceOn(path);
  await editTree(device, { adds: [{ path: '/stays/other name', linkTo: '/stays/large' }] });
  await close();
}

describe.each([
  ['An ext4 made by the stand-in', ofOurOwn('ext4')],
  ['An ext4 of blocks of 1 KiB', byMkfs(['-b', '1024'])],
  ['An ext4 as mke2fs makes it, with a journal and lazy tables', byMkfs(['-b', '4096'])],
  ['An ext4 of inline data and checksums', byMkfs(['-b', '4096', '-O', 'inline_data,metadata_csum'])],
  ['An f2fs made by the stand-in', ofOurOwn('f2fs')],
  ['An f2fs as mkfs.f2fs makes it', byMkfsF2fs],
])('%s', (name, make) => {
  const path = join(folder.path, `${name}.img`);
  const isF2fs = name.includes('f2fs');

  function expectWhole(): void {
    if (!isF2fs) {
      expect(run('e2fsck', '-fn', path)).toMatch(/ files /);
      return;
    }
    const { status, stdout } = spawnSync('fsck.f2fs', ['--dry-run', '-f', path], { encoding: 'utf8' });
    expect(stdout.match(/^.*(\[Fail\]|ASSERT|\[FIX\]).*$/gm) ?? []).toEqual([]);
    expect(status).toBe(0);
  }

  /** Every file by its path, digested by way of debugfs. */
  async function filesThere(): Promise<Record<string, string>> {
    if (isF2fs) return filesOfF2fs();
    const out = join(folder.path, 'out');
    mkdirSync(out);
    run('debugfs', '-R', `rdump / ${out}`, path);
    const names = run('find', out, '-type', 'f', '-printf', '%P\\n').trim().split('\n');
    const found = Object.fromEntries(names.map((each) => [each, sha(readFileSync(join(out, each)))]));
    run('rm', '-r', out);
    return found;
  }

  async function filesOfF2fs(): Promise<Record<string, string>> {
    const fs = await openFileSystem(memorySource(readFileSync(path)));
    const found: Record<string, string> = {};
    for await (const { path: at, node } of fs.walk())
      if (node?.type === 'file') found[at.slice(1)] = sha(await fs.read(node, large.length));
    return found;
  }

  it('is changed again and again, and whole each time', { timeout: 120_000 }, async () => {
    await make(path);
    const { device, close } = await deviceOn(path);
    const put = bytesOf(70_000, 9);
    await editTree(device, {
      adds: [folderAt('/new'), fileAt('/new/one', put), fileAt('/new/none', new Uint8Array())],
    });
    expectWhole();
    expect(await filesThere()).toEqual({ ...first, 'new/one': sha(put), 'new/none': sha(new Uint8Array()) });

    await editTree(device, {
      removes: (each) => /small 1?\d$/.test(each),
      moves: new Map([['/new', '/stays/moved']]),
      adds: [fileAt('/stays/small 99', put)],
    });
    expectWhole();
    const left = Object.entries(first).filter(([each]) => !/small 1?\d$/.test(each));
    expect(await filesThere()).toEqual({
      ...Object.fromEntries(left),
      'stays/small 99': sha(put),
      'stays/moved/one': sha(put),
      'stays/moved/none': sha(new Uint8Array()),
    });
    const fs = await openFileSystem(device);
    const moved = (await fs.find('/stays/moved/one'))!;
    expect([moved.uid, moved.permissions]).toEqual([10_081, 0o644]);
    const [attribute] = await fs.attributes(moved);
    expect([attribute!.name, Buffer.from(attribute!.value)]).toEqual([label.name, label.value]);
    expect((await fs.find('/stays/large'))!.links).toBe(2);
    await close();
  });

  it('keeps what stays where it lies, once its blocks are of the usual size', async () => {
    const { device, written, close } = await deviceOn(path);
    const placeOf = async () => {
      const fs = await openFileSystem(device);
      return fs.places((await fs.find('/stays/large'))!);
    };
    const lay = await placeOf();
    written.bytes = 0;
    await editTree(device, { adds: [folderAt('/another')] });
    expect(await placeOf()).toEqual(lay);
    // The table of nodes is written anew, with those that are none.
    expect(written.bytes).toBeLessThan(isF2fs ? 6 << 20 : 2 << 20);
    expectWhole();
    await close();
  });

  it('says when there is no room, and is what it was', async () => {
    const { device, close } = await deviceOn(path);
    const before = await filesThere();
    const size = 400 << 20;
    const adds: Addition[] = [{ ...fileAt('/too-large', new Uint8Array()), bytes: size }];
    await expect(editTree(device, { adds })).rejects.toThrow('No space left on device');
    expect(await filesThere()).toEqual(before);
    await close();
  });
});
