// Archives made by GNU tar and by hand, held against GNU tar and busybox: what they unpack from a judged archive stays within.
import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pack } from 'tar-stream';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../testing/folder.ts';
import { judgeArchive, judgedArchive } from './judged-archive.ts';

const folder = testFolder();
afterAll(() => folder.remove());
const at = (name: string) => join(folder.path, name);

async function bytesOf(stream: AsyncIterable<Uint8Array>): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of stream) parts.push(Uint8Array.from(part));
  return Buffer.concat(parts);
}

type Entry = Parameters<ReturnType<typeof pack>['entry']>[0];
/** Put together entry by entry, as no honest tool does. */
async function madeOf(...entries: readonly (readonly [Entry, string?])[]): Promise<Buffer> {
  const tar = pack();
  for (const [header, text] of entries) tar.entry(header, text ?? '');
  tar.finalize();
  return bytesOf(tar);
}

const stream = (bytes: Buffer) => Readable.from([bytes.subarray(0, 700), bytes.subarray(700)]);

const unsafe: readonly [string, () => Promise<Buffer>, RegExp][] = [
  ['steps up', () => madeOf([{ name: './../../system/x' }, 'x']), /leaves the folder/],
  ['begins at the root', () => madeOf([{ name: '/system/x' }, 'x']), /leaves the folder/],
  [
    'lies behind a link',
    () => madeOf([{ name: 'a', type: 'symlink', linkname: '/system' }], [{ name: 'a/x' }, 'x']),
    /lies behind the link a/,
  ],
  [
    'comes in the place of a link',
    () => madeOf([{ name: 'a', type: 'symlink', linkname: '/system/x' }], [{ name: 'a' }, 'x']),
    /comes after a link/,
  ],
  [
    'links to what is outside',
    () => madeOf([{ name: 'a', type: 'link', linkname: '/etc/passwd' }]),
    /leaves the folder/,
  ],
  ['is a device', () => madeOf([{ name: 'a', type: 'block-device' }]), /a block-device/],
];

describe('an archive with an entry that', () => {
  it.each(unsafe)('%s is refused before anything is unpacked', async (_what, make, words) => {
    const bytes = await make();
    await expect(judgeArchive(stream(bytes))).rejects.toThrow(words);
    await expect(bytesOf(judgedArchive(stream(bytes)))).rejects.toThrow(words);
  });

  it('is none is refused as well', async () => {
    await expect(judgeArchive(stream(Buffer.alloc(4096, 'no archive')))).rejects.toThrow(/tar/);
  });
});

it.each([
  ['GNU tar', ['tar']],
  ['busybox', ['busybox', 'tar']],
])('an honest archive comes out as it went in, for %s', async (_name, command) => {
  const from = at(`from ${command[0]}`);
  mkdirSync(join(from, 'data/example.tidebook'), { recursive: true });
  writeFileSync(join(from, 'data/example.tidebook/notes'), 'high water at six', { mode: 0o640 });
  symlinkSync('/data/app/lib', join(from, 'data/example.tidebook/lib'));
  execFileSync('mkfifo', [join(from, 'data/example.tidebook/pipe')]);
  const long = `data/${'a'.repeat(90)}/${'b'.repeat(120)}`;
  mkdirSync(join(from, long), { recursive: true });
  writeFileSync(join(from, long, 'x'), 'deep');
  const made = execFileSync('tar', ['--format=pax', '-c', '-C', from, '.']);
  await judgeArchive(stream(made));
  const judged = await bytesOf(judgedArchive(stream(made)));
  const to = at(`to ${command[0]}`);
  mkdirSync(to);
  const [tool, ...given] = command as [string, ...string[]];
  execFileSync(tool, [...given, '-x', '-f', '-', '-C', to], { input: judged });
  expect(readFileSync(join(to, 'data/example.tidebook/notes'), 'utf8')).toBe('high water at six');
  expect(readFileSync(join(to, long, 'x'), 'utf8')).toBe('deep');
  expect(readdirSync(join(to, 'data/example.tidebook')).sort()).toEqual(['lib', 'notes']);
});

it('says one name to every reader, where the archive itself says two', async () => {
  // Readers that know pax headers take the first name, the others the second.
  const two = await madeOf([{ name: 'outside', pax: { path: 'inside' } }, 'x']);
  const to = at('two names');
  mkdirSync(to);
  execFileSync('busybox', ['tar', '-x', '-f', '-', '-C', to], {
    input: await bytesOf(judgedArchive(stream(two))),
  });
  expect(existsSync(join(to, 'inside'))).toBe(true);
  expect(existsSync(join(to, 'outside'))).toBe(false);
});
