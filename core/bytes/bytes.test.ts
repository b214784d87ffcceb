import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { crc32, crc32Combine, crc32cRegister, crc32Repeated } from './crc32.ts';
import { FormatError } from './format-error.ts';
import { ascii, layout, safeInteger, u16, u64, words } from './layout.ts';
import { cached, memorySource, readWithin, slice } from './source.ts';
import { fromHex, hex, readAscii, readUtf16, utf8 } from './text.ts';
import { aboutText, durationText, sizeText } from './units.ts';

const sample = layout('sample', { magic: ascii(4), count: u16, size: u64, table: words(2) });

describe('layout', () => {
  it('places fields one behind the other and reads back what it wrote', () => {
    const bytes = new Uint8Array(sample.bytes + 3);
    const value = { magic: 'KL', count: 513, size: 2n ** 40n, table: [7, 0xffffffff] };
    sample.write(bytes, 3, value);
    expect(sample.bytes).toBe(22);
    expect(sample.offsetOf('size')).toBe(6);
    expect(bytes[3 + 4]).toBe(1); // little endian
    expect(sample.read(bytes, 3)).toEqual(value);
  });

  it('names the first field that is not there, and where', () => {
    const error = catching(() => sample.read(new Uint8Array(10), 0, 4096));
    expect(error).toMatchObject({ format: 'sample', field: 'size', offset: 4102 });
  });

  it('refuses quantities beyond safe integers', () => {
    expect(safeInteger(2n ** 53n - 1n, 'sample', 'size', 0)).toBe(Number.MAX_SAFE_INTEGER);
    expect(() => safeInteger(2n ** 53n, 'sample', 'size', 6)).toThrow(FormatError);
  });

  it('does not write text that is longer than its field', () => {
    const value = { magic: 'longer', count: 0, size: 0n, table: [0, 0] };
    expect(() => sample.write(new Uint8Array(sample.bytes), 0, value)).toThrow(RangeError);
  });
});

describe('checksums', () => {
  it('has the check values of the CRC catalogue for "123456789"', () => {
    // ISO 3309 and iSCSI (RFC 3720, B.4 uses the same polynomial); the latter without its final inversion.
    expect(crc32(utf8('123456789'))).toBe(0xcbf43926);
    expect((crc32cRegister(utf8('123456789')) ^ 0xffffffff) >>> 0).toBe(0xe3069283);
  });
});

describe('sources', () => {
  const bytes = Uint8Array.from({ length: 1000 }, (_, i) => i & 0xff);

  it('refuses ranges outside of the source', async () => {
    await expect(readWithin(memorySource(bytes), 990, 11, 'x', 'part')).rejects.toMatchObject({
      offset: 990,
    });
    await expect(readWithin(memorySource(bytes), -1, 1, 'x', 'part')).rejects.toBeInstanceOf(FormatError);
    expect(await readWithin(memorySource(bytes), 990, 10, 'x', 'part')).toEqual(bytes.subarray(990));
  });

  it('caches blocks and still gives the right bytes across their borders', async () => {
    let reads = 0;
    const counted = {
      bytes: 1000,
      read: (at: number, n: number) => (reads++, memorySource(bytes).read(at, n)),
    };
    const source = cached(counted, 64, 4);
    expect(await source.read(60, 10)).toEqual(bytes.slice(60, 70));
    expect(await source.read(0, 128)).toEqual(bytes.slice(0, 128));
    expect(reads).toBe(2);
    expect(await source.read(960, 40)).toEqual(bytes.slice(960));
  });

  it('does not keep a block that could not be read', async () => {
    let fail = true;
    const flaky = {
      bytes: 1000,
      read: (at: number, n: number) =>
        fail ? Promise.reject(new Error('gone')) : memorySource(bytes).read(at, n),
    };
    const source = cached(flaky, 64);
    await expect(source.read(0, 4)).rejects.toThrow('gone');
    fail = false;
    expect(await source.read(0, 4)).toEqual(bytes.slice(0, 4));
  });

  it('slices', async () => {
    expect(await slice(memorySource(bytes), 100, 50).read(10, 2)).toEqual(bytes.slice(110, 112));
  });
});

describe('text', () => {
  it('reads padded fields and keeps control characters out', () => {
    expect(readAscii(Uint8Array.of(66, 7, 200, 67, 0, 68))).toBe('B??C');
    expect(readUtf16(Uint8Array.of(0x62, 0, 0x6f, 0, 0, 0, 1, 1))).toBe('bo');
  });

  it('turns hexadecimal both ways', () => {
    expect(hex(fromHex('00ff10'))).toBe('00ff10');
    expect(() => fromHex('0g')).toThrow(RangeError);
    expect(() => fromHex('abc')).toThrow(RangeError);
  });

  it('writes sizes with three significant digits and durations in words', () => {
    expect([0, 1023, 1024, 39_000_000, 512 * 1048576, 30 * 2 ** 30].map(sizeText)).toEqual([
      '0 B',
      '1023 B',
      '1 KiB',
      '37.2 MiB',
      '512 MiB',
      '30 GiB',
    ]);
    expect([0, 999, 1000, 45_000].map(aboutText)).toEqual(['under 1 s', 'under 1 s', '≈ 1 s', '≈ 45 s']);
    expect([400, 1400, 45_000, 60_000, 250_000, 7_500_000, 4 * 86_400_000].map(durationText)).toEqual([
      'under 1 s',
      '1 s',
      '45 s',
      '1 min',
      '4 min 10 s',
      '2 h 5 min',
      '4 days',
    ]);
  });
});

function catching(work: () => unknown): unknown {
  try {
    work();
  } catch (error) {
    return error;
  }
  throw new Error('nothing was thrown');
}

describe('CRC-32 of parts', () => {
  it('is put together without going through the bytes again', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), fc.uint8Array({ maxLength: 300 }), (a, b) => {
        const both = new Uint8Array([...a, ...b]);
        expect(crc32Combine(crc32(a), crc32(b), b.length)).toBe(crc32(both));
      }),
    );
  });

  it('of something repeated is that of the long string', () => {
    const word = Uint8Array.of(1, 2, 3, 4);
    for (const count of [0, 1, 2, 7, 1000]) {
      const long = new Uint8Array(count * 4).map((_, i) => word[i % 4]!);
      expect(crc32Repeated(word, count)).toBe(crc32(long));
    }
  });
});
