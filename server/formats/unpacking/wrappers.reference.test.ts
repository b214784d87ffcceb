// Judged by the tools that wrap: gzip, zstd, xz, lz4 and bzip2.
import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { filler } from '../../../standin/firmware/filler.ts';
import { unwrap, wrapperOf, type Wrapper } from './wrappers.ts';

const plain = Buffer.concat([
  filler('records', 3, 700_000),
  Buffer.alloc(2_000_000),
  filler('program', 4, 300_000),
]);
const wrapped = (tool: Wrapper, ...options: string[]) =>
  execFileSync(tool, [...options, '-c'], { input: plain, maxBuffer: 1 << 26 });

async function* pieces(bytes: Buffer, size: number): AsyncGenerator<Buffer> {
  for (let at = 0; at < bytes.length; at += size) yield await Promise.resolve(bytes.subarray(at, at + size));
}

async function unwrapped(wrapper: Wrapper, bytes: Buffer, size = 65_536): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of unwrap(wrapper, pieces(bytes, size))) parts.push(Buffer.from(part));
  return Buffer.concat(parts);
}

describe.each(['gzip', 'zstd', 'xz', 'lz4', 'bzip2'] as const)('%s', (wrapper) => {
  const packed = wrapped(wrapper);

  it('is recognised by its first bytes', () => {
    expect(wrapperOf(packed)).toBe(wrapper);
    expect(wrapperOf(plain)).toBeUndefined();
    expect(wrapperOf(packed.subarray(0, 1))).toBeUndefined();
  });

  it('is unpacked, however it is cut', async () => {
    expect((await unwrapped(wrapper, packed)).equals(plain)).toBe(true);
    expect((await unwrapped(wrapper, packed, 777)).equals(plain)).toBe(true);
  });

  it('of several members behind each other is unpacked whole', async () => {
    expect((await unwrapped(wrapper, Buffer.concat([packed, packed]))).length).toBe(plain.length * 2);
  });

  it('says so when it ends too early or was damaged', async () => {
    for (const bad of [
      packed.subarray(0, packed.length - 3000),
      Buffer.concat([packed.subarray(0, 400), Buffer.alloc(3000, 0xee), packed.subarray(3400)]),
    ]) {
      await expect(unwrapped(wrapper, bad)).rejects.toMatchObject({ name: 'FormatError', format: wrapper });
    }
  });

  it('passes on the error of whoever gives the bytes', async () => {
    const broken = (async function* () {
      yield await Promise.resolve(packed.subarray(0, 1000));
      throw new Error('the disk is gone');
    })();
    const parts = async () => {
      for await (const part of unwrap(wrapper, broken)) void part;
    };
    await expect(parts()).rejects.toThrow('the disk is gone');
  });
});

it.each([
  ['xz', ['--check=sha256']],
  ['xz', ['--check=none']],
  ['xz', ['--x86', '--lzma2=preset=1']],
  ['xz', ['--delta=dist=4', '--lzma2']],
  ['lz4', ['-l']],
  ['lz4', ['-9', '-B4', '-BD', '-BX']],
  ['lz4', ['-B7', '--content-size', '--no-frame-crc']],
  ['bzip2', ['-1']],
  ['zstd', ['-19', '--check']],
] as const)('%s %j is unpacked', async (tool, options) => {
  const packed = wrapped(tool, ...options);
  expect(wrapperOf(packed)).toBe(tool);
  expect((await unwrapped(tool, packed, 10_001)).equals(plain)).toBe(true);
});

it('frames to be passed over are passed over (zstd, lz4)', async () => {
  for (const tool of ['zstd', 'lz4'] as const) {
    const skipped = Buffer.concat([Buffer.from([0x53, 0x2a, 0x4d, 0x18, 5, 0, 0, 0]), Buffer.from('notes')]);
    const packed = Buffer.concat([skipped, wrapped(tool), skipped]);
    expect(wrapperOf(packed), tool).toBe(tool);
    expect((await unwrapped(tool, packed)).equals(plain), tool).toBe(true);
  }
});

it('xz that asks for more memory than there may be is refused with words', async () => {
  const packed = wrapped('xz', '--lzma2=preset=0,dict=1536MiB');
  await expect(unwrapped('xz', packed)).rejects.toThrow(/xz.*more memory than 384 MiB/);
});

it('xz of which only the beginning is wanted is given up, and the next is unpacked', async () => {
  const packed = wrapped('xz');
  for (let i = 0; i < 3; i++) {
    let isClosed = false;
    const source = (async function* () {
      try {
        yield* pieces(packed, 1000);
      } finally {
        isClosed = true;
      }
    })();
    for await (const part of unwrap('xz', source)) {
      expect(part.length).toBeGreaterThan(0);
      break;
    }
    expect(isClosed).toBe(true);
  }
  expect((await unwrapped('xz', packed)).equals(plain)).toBe(true);
});
