import { execFileSync, spawnSync } from 'node:child_process';
import { linkSync, mkdirSync, readFileSync, symlinkSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, it } from 'vitest';
import { testFolder, unpackFixture } from '../../testing/folder.ts';
import { FormatError } from '../bytes/format-error.ts';
import { memorySource, type ByteSource } from '../bytes/source.ts';
import { readDamaged } from '../testing/damaging.ts';
import { openFileSystem, usedRangesOf } from './file-system/open.ts';

const folder = testFolder();
// mkfs.erofs 1.5 copies chunks by a call that tmpfs refuses.
const disk = testFolder(true);
afterAll(() => {
  folder.remove();
  disk.remove();
});
const at = (name: string) => join(folder.path, name);
const run = (command: string, ...args: string[]) => spawnSync(command, args, { stdio: 'ignore' });

beforeAll(() => {
  mkdirSync(at('root/folder/within'), { recursive: true });
  writeFileSync(at('root/empty'), '');
  writeFileSync(at('root/small'), 'a few words');
  writeFileSync(at('root/folder/text'), 'text that packs well '.repeat(3000));
  writeFileSync(at('root/folder/noise'), readFileSync('/proc/self/exe').subarray(40_000, 60_000));
  writeFileSync(at('root/folder/larger'), 'more text, of a second kind '.repeat(120_000));
  for (let i = 0; i < 30; i++) writeFileSync(at(`root/folder/within/entry-${i}`), `${i}`);
  symlinkSync('folder/text', at('root/link'));
  linkSync(at('root/small'), at('root/folder/same'));
  execFileSync('setfattr', ['-n', 'security.selinux', '-v', 'u:object_r:system_file:s0', at('root/small')]);
});

const mostBytes = 128 << 10;

/** Everything that looking inside asks for, within limits as looking has them. */
async function lookThrough(source: ByteSource, most = 8 * mostBytes): Promise<void> {
  const fs = await openFileSystem(source);
  await usedRangesOf(source).catch((error: unknown) => {
    if (!(error instanceof FormatError)) throw error;
  });
  let entries = 0;
  let left = most;
  for await (const { node } of fs.walk()) {
    if (++entries > 100 || left < 0) return;
    if (!node) continue;
    try {
      await fs.attributes(node);
      if (node.type === 'link') await fs.linkTarget(node);
      if (node.type !== 'file') continue;
      await fs.places(node);
      let had = 0;
      for await (const part of fs.content(node)) {
        had += part.length;
        if (had > Math.min(mostBytes, most)) break;
      }
      left -= had;
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
    }
  }
}

describe('a damaged file system is read, or refused with words', () => {
  it.each([
    ['erofs', []],
    ['erofs, packed', ['-zlz4', '-Eztailpacking']],
    ['erofs, large clusters, full index', ['-zlz4', '-C65536', '-Elegacy-compress']],
    ['erofs, chunks', ['--chunksize=4096', '-Eforce-chunk-indexes']],
  ])('%s', async (_name, options) => {
    const image = join(disk.path, 'erofs');
    run('mkfs.erofs', ...options, image, at('root'));
    await readDamaged(memorySource(readFileSync(image)), lookThrough);
  });

  it.each(['lzma', 'zstd', 'deflate', 'lz4-shared'])('erofs of newer tools, %s', async (name) => {
    unpackFixture('erofs-1.8', folder.path);
    // LZMA takes a hundred times as long as the others.
    const most = name === 'lzma' ? 32 << 10 : undefined;
    const few = name === 'lzma' ? 10 : undefined;
    const image = memorySource(readFileSync(at(`${name}.erofs`)));
    await readDamaged(image, (source) => lookThrough(source, most), few);
  });

  it('f2fs', async () => {
    writeFileSync(at('f2fs'), '');
    truncateSync(at('f2fs'), 64 << 20);
    run('mkfs.f2fs', '-f', '-g', 'android', at('f2fs'));
    run('sload.f2fs', '-f', at('root'), at('f2fs'));
    await readDamaged(memorySource(readFileSync(at('f2fs'))), lookThrough);
  });

  it('ext4', async () => {
    run('mke2fs', '-q', '-t', 'ext4', '-O', 'inline_data', '-d', at('root'), at('ext4'), '16m');
    await readDamaged(memorySource(readFileSync(at('ext4'))), lookThrough);
  });
});
