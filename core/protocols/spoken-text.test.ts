// What a bootloader or a processor says of itself is shown: it comes in on one line, without marks that turn or hide text.
import { expect, it } from 'vitest';
import { FormatError } from '../bytes/format-error.ts';
import { parseVariables } from './fastboot/fastboot-messages.ts';
import { parseHello } from './loader/loader-messages.ts';

it('variables of a bootloader', () => {
  const found = parseVariables([
    'product:Knot\u202e3\u0007',
    'serialno: TW3K\n-10482 ',
    'partition-size:boot:0x1000',
  ]);
  expect(Object.fromEntries(found)).toEqual({
    product: 'Knot 3',
    serialno: 'TW3K -10482',
    'partition-size:boot': '0x1000',
  });
});

it('the hello of a processor', () => {
  const regions = [{ name: 'user', bytes: 1024, sectorBytes: 512 }];
  expect(
    parseHello(JSON.stringify({ chip: 'Quern\u0000Q34', serial: `S${'9'.repeat(500)}`, regions })),
  ).toEqual({
    chip: 'Quern Q34',
    serial: `S${'9'.repeat(63)}`,
    regions,
  });
  for (const text of [
    '',
    'null',
    '[]',
    '{"chip":1}',
    '{"chip":"a","serial":"b","regions":[null]}',
    '{"chip":"a","serial":"b","regions":[{"name":"user","bytes":-1,"sectorBytes":512}]}',
    JSON.stringify({ chip: 'a', serial: 'b', regions: [{ name: 'x', bytes: 1e300, sectorBytes: 1 }] }),
  ])
    expect(() => parseHello(text), text).toThrow(FormatError);
});
