// Judged by sgdisk (Debian’s gdisk) and fdisk (util-linux), independent implementations of UEFI 2.10, chapter 5.3.
import { execFileSync } from 'node:child_process';
import { readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../testing/folder.ts';
import { memorySource } from '../../bytes/source.ts';
import { readGpt, writeGpt } from './gpt.ts';
import { knot3Flash } from '../../../testing/flashes.ts';

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

  it('finds the simulated phone’s flash in order', async () => {
    expect(sgdisk('-v', await knot3Flash())).toMatch(/No problems found/);
    expect(told(await knot3Flash(), 14).name).toBe('boot');
  });
});

describe('GPT of 4096-byte sectors beside fdisk', () => {
  /** What util-linux's fdisk tells of an image, by partition number. */
  function listed(image: string) {
    const text = execFileSync(
      'fdisk',
      ['-b', '4096', '-l', '-o', 'Device,Start,End,UUID,Type-UUID,Name', image],
      { encoding: 'utf8' },
    );
    const rows = text.matchAll(/^\S+?img(\d+) +(\d+) +(\d+) ([0-9A-F-]{36}) ([0-9A-F-]{36}) (.*)$/gm);
    return {
      diskGuid: /Disk identifier: ([0-9A-F-]{36})/.exec(text)?.[1],
      partitions: [...rows].map(([, number, firstLba, lastLba, uniqueGuid, typeGuid, name]) => ({
        number: Number(number),
        name,
        typeGuid,
        uniqueGuid,
        firstLba: Number(firstLba),
        lastLba: Number(lastLba),
      })),
    };
  }

  it('reads a table that fdisk made as fdisk itself does, also from the backup', async () => {
    const image = join(folder.path, 'large-sectors.img');
    writeFileSync(image, '');
    truncateSync(image, 64 << 20);
    const commands = 'g n 1 512 1023 n 5 2048 4095 x n 1 boot n 5 userdata r w';
    execFileSync('fdisk', ['-b', '4096', image], {
      input: `${commands.replaceAll(' ', '\n')}\n`,
      stdio: ['pipe', 'ignore', 'ignore'],
    });
    const told = listed(image);
    expect(told.partitions.map(({ name }) => name)).toEqual(['boot', 'userdata']);
    const bytes = readFileSync(image);
    const expectSame = async (from: 'primary' | 'backup') => {
      const gpt = await readGpt(memorySource(bytes), 4096);
      expect(gpt.from).toBe(from);
      expect(gpt.diskGuid).toBe(told.diskGuid);
      expect(gpt.partitions).toMatchObject(told.partitions);
    };
    await expectSame('primary');
    bytes.fill(0, 0, 6 * 4096);
    await expectSame('backup');
  });

  it('writes tables that fdisk reads', () => {
    const image = join(folder.path, 'our-large-sectors.img');
    const bytes = new Uint8Array(16 << 20);
    const partition = {
      name: 'init_boot_a',
      typeGuid: '0FC63DAF-8483-4772-8E79-3D69D8477DE4',
      uniqueGuid: '11111111-2222-4333-8444-555555555555',
      firstLba: 512,
      lastLba: 2047,
    };
    const diskGuid = 'AAAAAAAA-BBBB-4CCC-8DDD-EEEEEEEEEEEE';
    for (const piece of writeGpt({
      sectorBytes: 4096,
      diskBytes: bytes.length,
      diskGuid,
      partitions: [partition],
    }))
      bytes.set(piece.bytes, piece.offset);
    writeFileSync(image, bytes);
    expect(listed(image)).toEqual({ diskGuid, partitions: [{ number: 1, ...partition }] });
  });
});
