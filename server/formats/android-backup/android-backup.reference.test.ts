// The platform's backup stream: against streams written, and read, by hand from its published layout, and archives by GNU tar.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import {
  backupByHand,
  handmadeBackup,
  type HandmadeOptions,
} from '../../../testing/trees/android-backups.ts';
import { testFolder } from '../../../testing/folder.ts';
import { readBackupContent } from './backup-content.ts';
import { BackupLocked, backupStream, backupTar } from './backup-stream.ts';
import { backupTarOf } from './backup-writing.ts';

const folder = testFolder();
afterAll(() => folder.remove());

async function whole(stream: AsyncIterable<Uint8Array>): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of stream) parts.push(Uint8Array.from(part));
  return Buffer.concat(parts);
}
/** In pieces of odd sizes. */
async function* inPieces(bytes: Buffer): AsyncGenerator<Uint8Array> {
  for (let at = 0, size = 1; at < bytes.length; at += size, size = (size * 7) % 4093 || 1)
    yield await Promise.resolve(bytes.subarray(at, at + size));
}

const certificate = Buffer.from('a certificate of a kind');
const manifest = (name: string, over: { readonly text?: string } = {}) =>
  over.text ?? `1\n${name}\n41\n30\nexample.store\n1\n1\n${certificate.toString('hex')}\n`;
const tidebook = 'example.tidebook';
const longName = `${'a folder with a long name/'.repeat(7)}and a long one of its own.txt`;
const files: Readonly<Record<string, string>> = {
  [`apps/${tidebook}/_manifest`]: manifest(tidebook),
  [`apps/${tidebook}/_meta`]: 'widgets',
  [`apps/${tidebook}/a/base.apk`]: 'no program',
  [`apps/${tidebook}/f/notes.txt`]: 'high water at six',
  [`apps/${tidebook}/f/${longName}`]: 'found',
  [`apps/${tidebook}/f/ünïcode 漢字`]: 'odd',
  [`apps/${tidebook}/db/tides.db`]: 'x'.repeat(70_000),
  [`apps/${tidebook}/sp/settings.xml`]: '<map/>',
  [`apps/${tidebook}/nb/here only`]: '1',
  [`apps/${tidebook}/r/app_webview/Cookies`]: 'c',
  [`apps/${tidebook}/d_f/before the lock`]: '2',
  [`apps/${tidebook}/ef/map.bin`]: '3',
  [`apps/${tidebook}/obb/main.41.obb`]: '4',
  'apps/example.recorder/_manifest': manifest('example.recorder'),
  'apps/example.recorder/k/a2V5': 'record',
  'shared/0/DCIM/one.jpg': 'picture',
};

let trees = 0;
/** An archive by GNU tar, of what `Android` would have put into it. */
function tarOf(content: Readonly<Record<string, string>>, order = Object.keys(content)): Buffer {
  const root = join(folder.path, `tree ${++trees}`);
  for (const [name, text] of Object.entries(content)) {
    mkdirSync(dirname(join(root, name)), { recursive: true });
    writeFileSync(join(root, name), text);
  }
  const how = [
    '--format=pax',
    '--owner=10061',
    '--group=10061',
    '--numeric-owner',
    '--mode=0660',
    '--hard-dereference',
    '-cf',
    '-',
  ];
  return execFileSync('tar', [...how, '-C', root, '--', ...order], { maxBuffer: 1 << 26 });
}
const tar = tarOf(files);
const contentOf = async (bytes: Buffer) => readBackupContent(memorySource(bytes));

describe('a backup of the platform', () => {
  it.each<readonly [string, HandmadeOptions, string | undefined]>([
    ['the newest', {}, undefined],
    ['not packed', { packed: false, version: 2 }, undefined],
    ['encrypted', { passphrase: Buffer.from('größe 7') }, 'größe 7'],
    ['encrypted, not packed', { passphrase: Buffer.from('p'), packed: false, version: 3 }, 'p'],
    [
      'of the first version',
      { version: 1, passphrase: Buffer.from('größe', 'latin1'), isOld: true },
      'größe',
    ],
    ['of the first version, by UTF-8', { version: 1, passphrase: Buffer.from('größe') }, 'größe'],
  ])('is read: %s', async (_, options, passphrase) => {
    const stream = handmadeBackup(tar, options);
    expect((await whole(backupTar(inPieces(stream), passphrase))).equals(tar)).toBe(true);
  });

  it('is opened by its passphrase alone', async () => {
    const stream = handmadeBackup(tar, { passphrase: Buffer.from('right') });
    await expect(whole(backupTar(onePiece(stream), 'wrong'))).rejects.toThrow(BackupLocked);
    await expect(whole(backupTar(onePiece(stream)))).rejects.toThrow('It is encrypted with a passphrase.');
  });

  it.each([undefined, 'größe 7'])(
    'is written so that a reader by hand has it again, passphrase: %s',
    async (passphrase) => {
      const stream = await whole(backupStream(inPieces(tar), passphrase));
      expect(backupByHand(stream, passphrase ? Buffer.from(passphrase) : undefined).equals(tar)).toBe(true);
      expect((await whole(backupTar(inPieces(stream), passphrase))).equals(tar)).toBe(true);
    },
  );

  it('is refused where it was cut anywhere, or a byte is another one', async () => {
    for (const options of [{}, { passphrase: Buffer.from('p'), rounds: 3 }]) {
      const stream = handmadeBackup(tarOf({ 'apps/a.b/_manifest': manifest('a.b') }), options);
      const judged = async (bytes: Buffer) =>
        whole(backupTar(onePiece(bytes), 'p')).catch((error: unknown) => error as Error);
      for (let end = 0; end < stream.length; end += 7)
        expect(await judged(stream.subarray(0, end)), `${end}`).toSatisfy(isRefusal);
      for (let at = 0; at < stream.length; at += 5) {
        const other = Buffer.from(stream);
        other[at]! ^= 0x41;
        const found = await judged(other);
        expect(Buffer.isBuffer(found) || isRefusal(found), `${at} ${String(found)}`).toBe(true);
      }
    }
  });

  it.each([
    [
      'rounds without end',
      { passphrase: Buffer.from('p'), rounds: 10_000 },
      '\n10000\n',
      '\n99999999\n',
      /rounds/,
    ],
    ['a version to come', {}, '\n5\n', '\n6\n', /version/],
    ['another encryption', {}, '\nnone\n', '\nROT-13\n', /ROT-13 is not read/],
    ['a header without an end', {}, '\nnone\n', `\n${'n'.repeat(20_000)}\n`, /it has no end/],
  ])('is refused with %s', async (_, options, from, to, words) => {
    const stream = handmadeBackup(tar, options).toString('latin1').replace(from, to);
    await expect(whole(backupTar(onePiece(Buffer.from(stream, 'latin1')), 'p'))).rejects.toThrow(words);
  });
});

const isRefusal = (found: unknown) => found instanceof FormatError || found instanceof BackupLocked;

describe('what is in a backup', () => {
  it('is told by app, and each folder is an archive that GNU tar unpacks as it was', async () => {
    const { apps, byRecords, withWidgets, shared, strangers } = await contentOf(tar);
    expect({ byRecords, withWidgets, shared, strangers }).toEqual({
      byRecords: ['example.recorder'],
      withWidgets: [tidebook],
      shared: { files: 1, bytes: 7 },
      strangers: [],
    });
    const [only] = apps;
    expect(apps).toHaveLength(1);
    expect(only!.app).toEqual({
      ...{ package: tidebook, versionCode: 41, sdk: 30, installer: 'example.store', hasProgram: true },
      signatures: [certificate.toString('hex')],
    });
    expect(only!.programs.map(({ name }) => name)).toEqual(['base.apk']);
    const found: Record<string, string> = {};
    for (const part of only!.folders) {
      const bytes = await whole(part.read());
      expect(bytes.length).toBe(part.bytes);
      expect(part.uid).toBe(10_061);
      const into = join(folder.path, part.name);
      mkdirSync(into);
      execFileSync('tar', ['-xf', '-', '-C', into, '--numeric-owner'], { input: bytes });
      const listed = execFileSync('tar', ['-tvf', '-', '--numeric-owner'], {
        input: bytes,
        encoding: 'utf8',
      });
      for (const line of listed.trim().split('\n'))
        expect(line).toMatch(/^(?:drwxrwx--x|-rw-rw----) 10061\/10061/);
      for (const path of execFileSync('find', ['.', '-type', 'f', '-print0'], {
        cwd: into,
        encoding: 'utf8',
      }).split('\0'))
        if (path) found[`${part.kind} ${path.slice(2)}`] = readFileSync(join(into, path), 'utf8');
    }
    expect(found).toEqual({
      'data files/notes.txt': 'high water at six',
      [`data files/${longName}`]: 'found',
      'data files/ünïcode 漢字': 'odd',
      'data databases/tides.db': 'x'.repeat(70_000),
      'data shared_prefs/settings.xml': '<map/>',
      'data no_backup/here only': '1',
      'data app_webview/Cookies': 'c',
      'device-data files/before the lock': '2',
      'external files/map.bin': '3',
      'obb main.41.obb': '4',
    });
  });

  it('goes into a backup again, and comes out as it was', async () => {
    const { apps } = await contentOf(tar);
    const left: string[] = [];
    const again = await whole(
      backupTarOf(
        apps.map(({ app, folders }) => ({ app, folders, leftOut: (path: string) => left.push(path) })),
      ),
    );
    const into = join(folder.path, 'again');
    mkdirSync(into);
    execFileSync('tar', ['-xf', '-', '-C', into], { input: again });
    for (const [name, text] of Object.entries(files))
      if (/^apps\/example\.tidebook\/(?!_meta|a\/)/.test(name))
        expect(
          createHash('sha256')
            .update(readFileSync(join(into, name)))
            .digest('hex'),
          name,
        ).toBe(createHash('sha256').update(text).digest('hex'));
    expect(left).toEqual([]);
  });

  it.each<readonly [string, Buffer | (() => Buffer), RegExp]>([
    ['files before it says of what app', tarOf(files, [...Object.keys(files)].reverse()), /not said before/],
    ['speaks of another app', tarOf({ 'apps/a.b/_manifest': manifest('c.d') }), /it speaks of c\.d/],
    ['says nothing', tarOf({ 'apps/a.b/_manifest': '1\n' }), /names no app/],
    ['is of a form to come', tarOf({ 'apps/a.b/_manifest': '2\na.b\n' }), /its form 2/],
    ['has the same file twice', () => twice(), /stands there twice/],
    ['has a link', () => linked(), /it is a symlink/],
    ['leaves its folder', () => leaving(), /leaves the backup/],
  ])('is refused where it %s', async (_, bytes, words) => {
    await expect(contentOf(typeof bytes === 'function' ? bytes() : bytes)).rejects.toThrow(words);
  });
});

const own = { 'apps/a.b/_manifest': manifest('a.b'), 'apps/a.b/f/one': '1' };
const twice = () => tarOf(own, [...Object.keys(own), 'apps/a.b/f/one']);
function linked(): Buffer {
  const root = join(folder.path, 'linked');
  mkdirSync(join(root, 'apps/a.b/f'), { recursive: true });
  writeFileSync(join(root, 'apps/a.b/_manifest'), manifest('a.b'));
  symlinkSync('/etc', join(root, 'apps/a.b/f/out'));
  return execFileSync('tar', ['-cf', '-', '-C', root, 'apps/a.b/_manifest', 'apps/a.b/f/out']);
}
function leaving(): Buffer {
  const root = join(folder.path, 'leaving');
  mkdirSync(root);
  writeFileSync(join(root, 'x'), 'x');
  const how = ['--transform', 's,x,apps/a.b/../../../etc/passwd,', '-P'];
  return execFileSync('tar', [...how, '-cf', '-', '-C', root, 'x']);
}
