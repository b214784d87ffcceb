// Judged by the tools that make them: mkfs.fat would be one, mformat of mtools is; sfdisk makes DOS tables.
import { execFileSync } from 'node:child_process';
import { readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../testing/folder.ts';
import { memorySource } from '../../bytes/source.ts';
import { inspectImage } from '../inspect/inspect.ts';
import { readDosTable, readFat } from './boot-sector.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
const empty = (name: string, bytes: number) => {
  writeFileSync(at(name), '');
  truncateSync(at(name), bytes);
  return at(name);
};

describe('FAT', () => {
  it.each([
    ['FAT12', 4 << 20, []],
    ['FAT16', 64 << 20, []],
    ['FAT32', 64 << 20, ['-F']],
  ] as const)('%s as mformat makes it is told', async (kind, bytes, options) => {
    const path = empty('fat', bytes);
    execFileSync('mformat', [
      '-i',
      path,
      ...options,
      '-v',
      'MODEM',
      '-T',
      String(bytes / 512),
      '-h',
      '16',
      '-s',
      '32',
      '::',
    ]);
    const image = readFileSync(path);
    expect(readFat(image.subarray(0, 512))).toMatchObject({ kind, label: 'MODEM', sectorBytes: 512, bytes });
    expect(await inspectImage(memorySource(image))).toMatchObject({
      format: kind,
      fields: { volume: 'MODEM' },
    });
  });
});

describe('a DOS table', () => {
  it('as sfdisk makes it is told, and no GPT is taken for one', async () => {
    const path = empty('disk', 64 << 20);
    execFileSync('/sbin/sfdisk', ['-q', path], { input: 'label: dos\n2048,20480,c,*\n24576,40960,83\n' });
    const image = readFileSync(path);
    expect(readDosTable(image.subarray(0, 512))).toEqual([
      { number: 1, type: 0x0c, active: true, firstSector: 2048, sectors: 20_480 },
      { number: 2, type: 0x83, active: false, firstSector: 24_576, sectors: 40_960 },
    ]);
    const found = await inspectImage(memorySource(image));
    expect(found.format).toBe('DOS partition table');
    expect(found.rows[0]).toMatch(/^1: type 0x0c, sectors 2048–22527, 10 MiB, active$/);
    execFileSync('/sbin/sfdisk', ['-q', path], { input: 'label: gpt\n2048,20480\n' });
    expect((await inspectImage(memorySource(readFileSync(path)))).format).toBe('GPT');
  });

  it('is not found where there is none', () => {
    expect(readDosTable(new Uint8Array(512))).toBeUndefined();
    expect(readFat(new Uint8Array(512))).toBeUndefined();
    const noise = Uint8Array.from({ length: 512 }, (_, i) => (i * 31) & 0xff);
    noise[510] = 0x55;
    noise[511] = 0xaa;
    expect(readDosTable(noise)).toBeUndefined();
    expect(readFat(noise)).toBeUndefined();
  });
});
