// Judged by the tools that wrap: gzip, zstd and xz.
import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { filler } from '../../standin/firmware/filler.ts';
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

describe.each(['gzip', 'zstd', 'xz'] as const)('%s', (wrapper) => {
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
    if (wrapper === 'xz') return;
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
