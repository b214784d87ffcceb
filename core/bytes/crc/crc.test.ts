// Both ways of computing a CRC-32, that of Node (zlib) and that of browsers.
import { randomBytes } from 'node:crypto';
import { expect, it } from 'vitest';
import { crc32 as asNode } from './ieee-node.ts';
import { crc32 as asBrowsers } from './ieee-tables.ts';

it('comes out the same as zlib has it, whatever the length', () => {
  for (const bytes of [0, 1, 7, 8, 9, 15, 16, 17, 1000, 65_537]) {
    const data = randomBytes(bytes);
    expect(asBrowsers(data), `${bytes} bytes`).toBe(asNode(data));
  }
});
