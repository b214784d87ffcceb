// Judged by sgdisk (Debian's gdisk), an independent implementation of UEFI 2.10, chapter 5.3.
import { execFileSync } from 'node:child_process';
import { readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, inject, it } from 'vitest';
import { testFolder } from '../../../e2e/support/bench.ts';
import { memorySource } from '../../bytes/source.ts';
import { readGpt, writeGpt } from './index.ts';

const folder = testFolder();
afterAll(folder.remove);
const sgdisk = (...args: string[]) => execFileSync('sgdisk', args, { encoding: 'utf8' });

/** What `sgdisk -i N` tells of a partition. */
function told(image: string, number: number) {
  const text = sgdisk('-i', String(number), image);
  const field = (pattern: RegExp) => pattern.exec(text)?.[1] ?? '';
  return {
    typeGuid: field(/GUID code: ([0-9A-F-]+)/),
    uniqueGuid: field(/unique GUID: ([0-9A-F-]+)/),
    firstLba: Number(field(/First sector: (\d+)/)),
    lastLba: Number(field(/Last sector: (\d+)/)),
    name: field(/Partition name: '(.*)'/),
  };
}

describe('GPT beside sgdisk', () => {
  it('reads a table that sgdisk made as sgdisk itself does', async () => {
    const image = join(folder.path, 'made.img');
    writeFileSync(image, '');
    truncateSync(image, 64 << 20);
    sgdisk(
      '-n',
      '1:2048:4095',
      '-c',
      '1:boot',
      '-n',
      '2:8192:+10M',
      '-c',
      '2:systém',
      '-n',
      '5:0:+5M',
      '-c',
      '5:userdata',
      '-t',
      '5:EF00',
      image,
    );
    const gpt = await readGpt(memorySource(readFileSync(image)));
    expect(gpt.findings).toEqual([]);
    expect(gpt.diskGuid).toBe(/identifier \(GUID\): ([0-9A-F-]+)/.exec(sgdisk('-p', image))?.[1]);
    expect(gpt.partitions.map(({ number }) => number)).toEqual([1, 2, 5]);
    for (const { number, typeGuid, uniqueGuid, firstLba, lastLba, name } of gpt.partitions) {
      expect({ typeGuid, uniqueGuid, firstLba, lastLba, name }).toEqual(told(image, number));
    }
  });

  it('reads the same from the backup when the primary is wiped', async () => {
    const image = join(folder.path, 'wiped.img');
    writeFileSync(image, '');
    truncateSync(image, 32 << 20);
    sgdisk('-n', '1:2048:4095', '-c', '1:boot', image);
    const bytes = readFileSync(image);
    bytes.fill(0, 0, 34 * 512);
    const gpt = await readGpt(memorySource(bytes));
    expect(gpt.from).toBe('backup');
    expect(gpt.partitions[0]).toMatchObject(told(image, 1));
  });

  it('writes tables in which sgdisk finds no problem', () => {
    const image = join(folder.path, 'ours.img');
    const bytes = new Uint8Array(16 << 20);
    const typeGuid = '0FC63DAF-8483-4772-8E79-3D69D8477DE4';
    const plan = {
      sectorBytes: 512,
      diskBytes: bytes.length,
      diskGuid: 'AAAAAAAA-BBBB-4CCC-8DDD-EEEEEEEEEEEE',
      partitions: [
        {
          name: 'persist',
          typeGuid,
          uniqueGuid: '11111111-2222-4333-8444-555555555555',
          firstLba: 2048,
          lastLba: 10239,
        },
      ],
    };
    for (const piece of writeGpt(plan)) bytes.set(piece.bytes, piece.offset);
    writeFileSync(image, bytes);
    expect(sgdisk('-v', image)).toMatch(/No problems found/);
    expect(told(image, 1)).toEqual(plan.partitions[0]);
  });

  it('finds the simulated phone’s flash in order', () => {
    expect(sgdisk('-v', inject('flash'))).toMatch(/No problems found/);
    expect(told(inject('flash'), 14).name).toBe('boot');
  });
});
