// Archives by bsdtar (libarchive); those with a password by 7-Zip itself, whose bytes stand here.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { memorySource, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { testFolder } from '../../../testing/folder.ts';
import { sevenZipEntries } from './seven-zip.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
const files: Record<string, Uint8Array> = {
  'boot.img': Buffer.alloc(600_000, 'kernel and ramdisk '),
  'images/empty.img': new Uint8Array(0),
  'images/system.img': readFileSync(process.execPath).subarray(0, 900_000),
  'images/ümlaut and spaces.img': Buffer.from('short'),
  'vbmeta.img': Buffer.alloc(70_000, 7),
};

beforeAll(() => {
  mkdirSync(at('root/images'), { recursive: true });
  for (const [name, bytes] of Object.entries(files)) writeFileSync(at(`root/${name}`), bytes);
});

function made(compression: string): Uint8Array {
  const options = ['--format', '7zip', '--options', `7zip:compression=${compression}`];
  execFileSync('bsdtar', [...options, '-cf', at('made.7z'), '-C', at('root'), ...Object.keys(files)], {
    env: { ...process.env, LC_ALL: 'C.UTF-8' },
  });
  return readFileSync(at('made.7z'));
}

async function read(source: ByteSource, wanted = (_name: string) => true): Promise<Record<string, string>> {
  const found: Record<string, string> = {};
  for await (const { name, bytes, fault, content } of sevenZipEntries(source)) {
    if (fault !== undefined) found[name] = fault;
    if (fault !== undefined || !wanted(name)) continue;
    const hash = createHash('sha256');
    let had = 0;
    for await (const part of content()) {
      hash.update(part);
      had += part.length;
    }
    expect(had).toBe(bytes);
    found[name] = hash.digest('hex');
  }
  return found;
}

describe('a 7z archive', () => {
  const wanted = Object.fromEntries(Object.entries(files).map(([name, bytes]) => [name, sha256(bytes)]));

  it.each(['lzma2', 'lzma1', 'bzip2', 'deflate', 'ppmd', 'store'])(
    'packed by %s gives every file',
    async (how) => {
      expect(await read(memorySource(made(how)))).toEqual(wanted);
    },
  );

  it('passes over what nobody reads, and may be left half-way', async () => {
    const source = memorySource(made('lzma2'));
    const only = (name: string) => name === 'vbmeta.img';
    expect(await read(source, only)).toEqual({ 'vbmeta.img': wanted['vbmeta.img'] });
    for await (const { name } of sevenZipEntries(source)) if (name === 'boot.img') break;
  });

  it('with a link in it says so', async () => {
    symlinkSync('boot.img', at('root/link.img'));
    execFileSync('bsdtar', [
      '--format',
      '7zip',
      '-cf',
      at('link.7z'),
      '-C',
      at('root'),
      'link.img',
      'vbmeta.img',
    ]);
    const found = await read(memorySource(readFileSync(at('link.7z'))));
    expect(found['link.img']).toMatch(/It is a link/);
    expect(found['vbmeta.img']).toMatch(/packed together with what cannot be read/);
  });

  it('that is damaged, cut short or no archive is refused with words', async () => {
    const whole = made('lzma2');
    const spoilt = Uint8Array.from(whole);
    spoilt[Math.floor(whole.length / 2)]! ^= 0xff;
    await expect(read(memorySource(spoilt))).rejects.toMatchObject({ name: 'FormatError', format: '7z' });
    await expect(read(memorySource(whole.subarray(0, whole.length - 40)))).rejects.toMatchObject({
      format: '7z',
    });
    await expect(read(memorySource(Buffer.alloc(5000, '7z')))).rejects.toMatchObject({ format: '7z' });
    await expect(
      read({ bytes: whole.length, read: () => Promise.reject(new Error('the disk is gone')) }),
    ).rejects.toThrow('the disk is gone');
  });

  it.each([
    [
      'of its files',
      'N3q8ryccAARNQz5vIAAAAAAAAABqAAAAAAAAAPYxN+jSJcSDL1bWW79PVvRm5arl0a6tBLfycFSfYbVbQFqnOAEEBgABCSAABwsBAAIkBvEHARJTD9DUcuy6dTernm3pBO1v8gYhIQEAAQAMEQ0ACAoBdJ8IFQAABQEZAQAREwBuAG8AdABlAC4AdAB4AHQAAAAZABQKAQDqqs/NWIHdARUGAQAggKSBAAA=',
    ],
    [
      'of its list as well',
      'N3q8ryccAAR/or7qkAAAAAAAAAAuAAAAAAAAACosQ/RDxMCWSmJ3D9VcQxb+RdZyxD7h253TG6Da6JDSSm5iScSPsewmhR+lVOepbU4++kLKq9+S3X6kZhInbBWmioPtghEZBC7tJyqSwOLhp5rsQQNFUCLvlD5cWGQu/h8XSiRYcw/bnmhQmgewKNb0Q2DDQtmVLQoaHezgZUg0I+mNaUbZreIwndV6a4cw/e0l2agXBiABCXAABwsBAAEkBvEHARJTDzQadKCoVZ+KE1m9eOXoht0MagoBBghjKwAA',
    ],
  ])('with a password %s says so', async (_what, base64) => {
    const words = await read(memorySource(Buffer.from(base64, 'base64'))).then(
      (found) => found['note.txt'],
      (error: unknown) => String(error),
    );
    expect(words).toMatch(/has a password/);
  });
});
