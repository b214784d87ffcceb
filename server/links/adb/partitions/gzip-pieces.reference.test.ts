// What is packed in pieces beside each other is one gzip stream for those who unpack it: gzip itself, and the tools of phones.
import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { gunzipSync, gzipSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { gzipped } from './gzip-pieces.ts';

const MiB = 1 << 20;
const text = (bytes: number) =>
  Buffer.from('ro.build.id=TW3.260305.002\n'.repeat(Math.ceil(bytes / 27))).subarray(0, bytes);

/** In parts of odd sizes, in memory that is used again. */
async function* parts(content: Buffer, partBytes: number): AsyncGenerator<Uint8Array> {
  const memory = Buffer.alloc(partBytes);
  for (let at = 0; at < content.length; at += partBytes) {
    const part = memory.subarray(0, content.copy(memory, 0, at, at + partBytes));
    yield await Promise.resolve(part);
    memory.fill(0xaa);
  }
}
async function packed(content: Buffer, partBytes = 100_003): Promise<Buffer> {
  const found: Uint8Array[] = [];
  for await (const part of gzipped(parts(content, partBytes))) found.push(Buffer.from(part));
  return Buffer.concat(found);
}

describe.each([
  ['nothing', Buffer.alloc(0)],
  ['a byte', Buffer.from('x')],
  ['a whole piece', text(MiB)],
  ['a piece and a byte', text(MiB + 1)],
  [
    'noise and text in turns',
    Buffer.concat([randomBytes(MiB), text(3 * MiB), randomBytes(2 * MiB + 7), text(MiB)]),
  ],
  ['zeros', Buffer.alloc(9 * MiB)],
])('%s', (_, content) => {
  it.each([
    ['gzip', ['gzip', '-dc']],
    ['toybox', ['toybox', 'zcat']],
    ['busybox', ['busybox', 'gunzip', '-c']],
  ])('is unpacked by %s', async (_tool, [command, ...args]) => {
    const input = await packed(content);
    const out = execFileSync(command!, args, { input, maxBuffer: 64 * MiB });
    expect(out.equals(content)).toBe(true);
  });

  it('is one stream to zlib, hardly larger than in one go', async () => {
    const own = await packed(content, 65_536);
    expect(gunzipSync(own).equals(content)).toBe(true);
    expect(own.length).toBeLessThan(gzipSync(content, { level: 1 }).length * 1.01 + 400);
  });
});

it('tells what its source throws, and cannot be taken for whole then', async () => {
  async function* broken(): AsyncGenerator<Uint8Array> {
    yield await Promise.resolve(text(2 * MiB));
    throw new Error('the disk does not answer');
  }
  const found: Uint8Array[] = [];
  const taking = (async () => {
    for await (const part of gzipped(broken())) found.push(Buffer.from(part));
  })();
  await expect(taking).rejects.toThrow('the disk does not answer');
  expect(() => gunzipSync(Buffer.concat(found))).toThrow();
});
