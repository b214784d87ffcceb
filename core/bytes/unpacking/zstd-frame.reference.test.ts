// Judged by zstd, which makes the frames.
import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { unpackBlock } from './unpacking.ts';
import { zstdFrame } from './zstd-frame.ts';

const text = Buffer.from(Array.from({ length: 30_000 }, (_, i) => `ebb ${(i * 7919) % 997}\n`).join(''));
const packed = (bytes: Uint8Array, ...options: string[]) =>
  execFileSync('zstd', ['-q', '-c', ...options], { input: bytes, maxBuffer: 1 << 26 });

describe('a frame of zstd', () => {
  it.each([
    ['of a stream', [], text],
    ['with its size', [`--stream-size=${text.length}`], text],
    ['without a checksum', ['--no-check'], text],
    ['with a small window', ['--zstd=wlog=12'], text],
    ['of zeros', [], new Uint8Array(1 << 20)],
    ['of nothing', [], new Uint8Array(0)],
    ['of noise', [], Buffer.from(Array.from({ length: 5000 }, (_, i) => (i * i * 31) & 0xff))],
  ] as const)('%s ends where the next begins', async (_what, options, bytes) => {
    const frame = packed(bytes, ...options);
    const { bytes: found, windowBytes } = zstdFrame(Buffer.concat([frame, frame]));
    expect(found).toBe(frame.length);
    expect(windowBytes).toBeLessThan(16 << 20);
    expect(Buffer.compare(await unpackBlock('zstd', frame, bytes.length), bytes)).toBe(0);
  });

  it('that asks for more memory than is ever packed together is refused before it gets any', async () => {
    const huge = Uint8Array.from(packed(text));
    huge[5] = 0xa8; // a window of two gigabytes
    const before = process.memoryUsage().arrayBuffers;
    await expect(unpackBlock('zstd', huge, 1000)).rejects.toThrow(/window.*2147483648 bytes/);
    expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(64 << 20);
  });

  it('that is cut short says so', () => {
    const frame = packed(text);
    for (const bytes of [0, 3, 5, 8, 100, frame.length - 1])
      expect(() => zstdFrame(frame.subarray(0, bytes))).toThrow(/zstd/);
  });
});
