// Judged by GNU tar, which packs files with holes in each of its forms, and by Python's tarfile where it knows more of them.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  closeSync,
  ftruncateSync,
  linkSync,
  mkdirSync,
  openSync,
  readFileSync,
  statSync,
  symlinkSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { testFolder } from '../../testing/folder.ts';
import { sourceBytes } from './file-source.ts';
import { entrySource, placedEntries } from './tar-source.ts';
import { digestedFiles, looksLikeTar } from './tar.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
const longName = `${'a-rather-long-folder-name/'.repeat(6)}file`;

beforeAll(() => {
  mkdirSync(at('root/a-rather-long-folder-name/'.concat('a-rather-long-folder-name/'.repeat(5))), {
    recursive: true,
  });
  writeFileSync(at('root/plain'), 'a plain file');
  writeFileSync(at('root/large'), Buffer.alloc(700_001, 'words '));
  writeFileSync(at(`root/${longName}`), 'under a long name');
  const holes = (name: string, stretches: readonly [number, number][], bytes: number) => {
    const file = openSync(at(`root/${name}`), 'w');
    for (const [place, length] of stretches)
      writeSync(file, Buffer.alloc(length, `${place}.`), 0, length, place);
    ftruncateSync(file, bytes);
    closeSync(file);
  };
  holes(
    'holes',
    [
      [1 << 20, 4096],
      [5 << 20, 10_000],
    ],
    9_000_000,
  );
  // More of them than fit into a header, and than fit into the first block behind it.
  holes(
    'many-holes',
    Array.from({ length: 60 }, (_, i) => [i * 131_072, 4096]),
    60 * 131_072 + 5,
  );
  holes('only-a-hole', [], 3_000_000);
  linkSync(at('root/plain'), at('root/same'));
  symlinkSync('plain', at('root/symbolic'));
});

const packed = (...options: string[]): Uint8Array => {
  execFileSync('tar', ['-cf', at('tar'), ...options, '-C', at('root'), '--sort=name', '.']);
  return readFileSync(at('tar'));
};

/** Names, sizes and digests of files; of links where they lead. */
async function told(archive: Uint8Array): Promise<Record<string, string>> {
  const source = memorySource(archive);
  const found: Record<string, string> = {};
  for await (const entry of placedEntries(source)) {
    const { name, type, linkname, size } = entry.header;
    const path = name.replace(/^\.\//, '');
    if (type === 'file') {
      const hash = createHash('sha256');
      for await (const part of sourceBytes(entrySource(source, entry))) hash.update(part);
      found[path] = `${size} ${hash.digest('hex')}`;
    } else if (type === 'link') found[path] = `is ${linkname.replace(/^\.\//, '')}`;
    else if (type === 'symlink') found[path] = `-> ${linkname}`;
  }
  return found;
}

const wanted = (): Record<string, string> => {
  const digest = (name: string) => {
    const bytes = readFileSync(at(`root/${name}`));
    return `${statSync(at(`root/${name}`)).size} ${createHash('sha256').update(bytes).digest('hex')}`;
  };
  const names = [longName, 'holes', 'large', 'many-holes', 'only-a-hole', 'plain'];
  return {
    ...Object.fromEntries(names.map((name) => [name, digest(name)])),
    same: 'is plain',
    symbolic: '-> plain',
  };
};

describe('every file has the bytes that were packed', () => {
  it.each([
    ['GNU, holes', ['--format=gnu', '--sparse']],
    ['GNU, older', ['--format=oldgnu', '--sparse']],
    ['pax, holes 1.0', ['--format=posix', '--sparse', '--sparse-version=1.0']],
    ['pax, holes 0.1', ['--format=posix', '--sparse', '--sparse-version=0.1']],
    ['pax, holes 0.0', ['--format=posix', '--sparse', '--sparse-version=0.0']],
    ['no holes told', ['--format=gnu']],
    ['ustar', ['--format=ustar']],
  ])('%s', async (_name, options) => {
    expect(await told(packed(...options))).toEqual(wanted());
  });

  it('of the seventh edition, which has no mark', async () => {
    const archive = packed('--format=v7', '--exclude=a-rather-long-folder-name');
    expect(looksLikeTar(archive.subarray(0, 512))).toBe(true);
    const { [longName]: left, ...rest } = wanted();
    expect(left).toBeDefined();
    expect(await told(archive)).toEqual(rest);
  });
});

it('a stream of files with holes is refused, naming one of them: its bytes stand elsewhere', async () => {
  for (const options of [
    ['--format=gnu', '--sparse'],
    ['--format=posix', '--sparse'],
  ]) {
    const archive = packed(...options);
    const read = async () => {
      async function* whole() {
        yield await Promise.resolve(archive);
      }
      for await (const part of digestedFiles(whole(), new Map())) void part;
    };
    await expect(read()).rejects.toMatchObject({
      name: 'FormatError',
      reason: expect.stringMatching(/holes has holes/) as string,
    });
  }
});

it('what ends early is refused, wherever it ends', async () => {
  const archive = packed('--format=gnu', '--sparse');
  for (const bytes of [700, 20_000, 400_000, archive.length - 20_480]) {
    const found = told(archive.subarray(0, bytes)).then(
      (files) => Object.keys(files).length,
      (error: unknown) => (error as Error).name,
    );
    expect(['FormatError', 0, 1, 2, 3, 4, 5]).toContain(await found);
  }
  await expect(told(archive.subarray(0, 300_000))).rejects.toMatchObject({ name: 'FormatError' });
});

it('no file is taken for one that reading gives nothing of', () => {
  expect(looksLikeTar(new Uint8Array(512))).toBe(false);
  expect(looksLikeTar(Buffer.alloc(512, 'text '))).toBe(false);
});
