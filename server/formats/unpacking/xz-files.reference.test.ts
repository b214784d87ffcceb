// Judged by xz, which packs it.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { unpackXz } from './xz-files.ts';

const program = readFileSync(process.execPath).subarray(0, 700_000);
const xz = (bytes: Uint8Array, ...options: string[]) =>
  execFileSync('xz', ['-c', ...options], { input: bytes, maxBuffer: 1 << 26 });
const packed = xz(program);

it.each([
  ['no check', ['--check=none']],
  ['CRC-32', ['--check=crc32']],
  ['SHA-256', ['--check=sha256']],
  ['a filter for programs', ['--x86', '--lzma2=preset=3']],
  ['differences of bytes', ['--delta=dist=4', '--lzma2=preset=1']],
  ['many blocks', ['--block-size=100000']],
  ['a large dictionary', ['--lzma2=preset=0,dict=64MiB']],
])('what xz packs with %s comes out as it was', async (_what, options) => {
  const [output] = await unpackXz([{ data: xz(program, ...options), bytes: program.length }]);
  expect(Buffer.compare(output!, program)).toBe(0);
});

it('several files each come out by themselves, also of several streams and with padding', async () => {
  const two = Buffer.concat([packed, Buffer.alloc(8), xz(Buffer.from('tide'))]);
  const files = [
    { data: two, bytes: program.length + 4 },
    ...Array.from({ length: 12 }, (_, i) => ({
      data: xz(Buffer.from(`gauge ${i}`)),
      bytes: `gauge ${i}`.length,
    })),
  ];
  const outputs = (await unpackXz(files)).map((each) => Buffer.from(each));
  expect(outputs[0]!.equals(Buffer.concat([program, Buffer.from('tide')]))).toBe(true);
  expect(outputs.slice(1).map(String)).toEqual(files.slice(1).map((_, i) => `gauge ${i}`));
  expect(await unpackXz([])).toEqual([]);
});

it.each([
  ['is damaged', Buffer.from(packed).fill(0x5a, 90_000, 90_010), program.length, /Data Error|CRC Failed/],
  ['is cut short', packed.subarray(0, 90_000), program.length, /Unexpected end of data/],
  [
    'is followed by something',
    Buffer.concat([packed, Buffer.from('tide')]),
    program.length,
    /some data after the end/,
  ],
  ['is something else', Buffer.from('tide'.repeat(100)), 400, /Cannot open the file as/],
  ['is nothing', Buffer.alloc(0), 0, /Cannot open the file as/],
  ['unpacks to more', packed, program.length - 1, /unpacks to more than 699999 bytes/],
  ['unpacks to less', packed, program.length + 1, /gives 700000 bytes of 700001/],
])('what %s is refused with words', async (_what, data, bytes, words) => {
  await expect(unpackXz([{ data, bytes }])).rejects.toThrow(words);
});

it('what asks for more memory than there may be is refused', async () => {
  const large = xz(program, '--lzma2=preset=0,dict=1536MiB');
  await expect(unpackXz([{ data: large, bytes: program.length }])).rejects.toThrow(/memory/i);
});
