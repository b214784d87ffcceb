// Judged by xz, which packs it.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { numbersOf } from '../../../testing/numbers.ts';
import { FormatError } from '../format-error.ts';
import { unpackLzma } from './lzma.ts';

/** Of a file of the older form: properties, dictionary, size (LZMA specification, "LZMA file format"). */
const headBytes = 13;
const propertiesOf = (head: number) => ({
  lc: head % 9,
  lp: Math.floor(head / 9) % 5,
  pb: Math.floor(head / 45),
});

const text = Buffer.from(
  Array.from({ length: 20_000 }, (_, i) => `tide ${(i * 7919) % 613} of gauge ${i % 17}\n`).join(''),
);
const program = readFileSync(process.execPath).subarray(0, 500_000);
const noise = Buffer.from(
  Array.from(
    { length: 50_000 },
    (
      (below) => () =>
        below(256)
    )(numbersOf(3)),
  ),
);
const packed = (bytes: Uint8Array, options: string) =>
  execFileSync('xz', ['--format=lzma', `--lzma1=${options}`, '-c'], { input: bytes, maxBuffer: 1 << 26 });
const unpacked = (file: Uint8Array, bytes: number) => {
  const out = new Uint8Array(bytes);
  return out.subarray(0, unpackLzma(file.subarray(headBytes), propertiesOf(file[0]!), out));
};

describe('LZMA as xz packs it', () => {
  it.each([
    ['text', text, 'preset=6'],
    ['a program', program, 'preset=9'],
    ['noise', noise, 'preset=0'],
    ['zeros', new Uint8Array(300_000), 'preset=6'],
    ['nothing', new Uint8Array(0), 'preset=6'],
    ['other bits of literals', text, 'lc=0,lp=4,pb=0'],
    ['other bits of positions', program, 'lc=4,lp=0,pb=4'],
    ['a small dictionary', program, 'dict=4096'],
  ])('%s comes out as it was', (_what, bytes, options) => {
    const file = packed(bytes, options);
    expect(Buffer.compare(unpacked(file, bytes.length), bytes)).toBe(0);
    // It says itself where it ends.
    expect(unpacked(file, bytes.length + 1000).length).toBe(bytes.length);
    expect(unpacked(file, Math.floor(bytes.length / 2)).length).toBe(Math.floor(bytes.length / 2));
  });

  it('that is damaged or cut short is refused, or gives no more than was asked for', () => {
    const file = packed(text.subarray(0, 30_000), 'preset=6');
    const below = numbersOf(11);
    for (let i = 0; i < 400; i++) {
      const spoilt = Uint8Array.from(file.subarray(0, below(4) === 0 ? headBytes + below(200) : file.length));
      spoilt[Math.min(spoilt.length - 1, headBytes + 1 + below(spoilt.length))] = below(256);
      try {
        expect(unpacked(spoilt, 30_000).length).toBeLessThanOrEqual(30_000);
      } catch (error) {
        expect(error).toBeInstanceOf(FormatError);
      }
    }
  });
});
