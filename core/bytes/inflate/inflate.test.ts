// Both ways of unpacking, the platform's and that of browsers, against zlib's own packing.
import { deflateRawSync, gzipSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { unpack as asNode } from './deflate-node.ts';
import { unpack as asBrowsers } from './deflate-streams.ts';
import { gunzip, inflateRaw } from './inflate.ts';

const plain = Buffer.from('a line of text that comes again and again; '.repeat(60_000));
const packed = { gzip: gzipSync(plain), 'deflate-raw': deflateRawSync(plain) };

it.each([
  ['Node', asNode],
  ['browsers', asBrowsers],
])('as %s do it, unpacks what is whole and nothing else', async (_, unpack) => {
  for (const format of ['gzip', 'deflate-raw'] as const) {
    const bytes = packed[format];
    expect(Buffer.compare(plain, await unpack(format, bytes, plain.length))).toBe(0);
    await expect(unpack(format, bytes, plain.length - 1)).rejects.toThrow(/holds more than/);
    await expect(unpack(format, bytes.subarray(0, -9), plain.length)).rejects.toThrow();
  }
  const changed = Buffer.from(packed.gzip);
  changed[changed.length - 6]! ^= 1;
  await expect(unpack('gzip', changed, plain.length)).rejects.toThrow();
});

it('says what is wrong as a fault of the format', async () => {
  expect((await gunzip(packed.gzip)).length).toBe(plain.length);
  await expect(gunzip(Buffer.from('no gzip at all'))).rejects.toThrow(
    expect.objectContaining({ name: 'FormatError' }),
  );
  await expect(inflateRaw(packed['deflate-raw'], 1000)).rejects.toThrow(/holds more than 1000 bytes/);
});
