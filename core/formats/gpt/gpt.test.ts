import { describe, expect, it } from 'vitest';
import { crc32 } from '../../bytes/crc32.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { memorySource } from '../../bytes/source.ts';
import { gptHeader } from './layouts.ts';
import { gptRegions, readGpt, writeGpt } from './gpt.ts';

const sectors = 400;
const partition = (name: string, firstLba: number, lastLba: number) => ({
  name,
  typeGuid: '0FC63DAF-8483-4772-8E79-3D69D8477DE4',
  uniqueGuid: `11111111-2222-3333-4444-${String(firstLba).padStart(12, '0')}`,
  firstLba,
  lastLba,
});

function disk(sectorBytes: number, partitions = [partition('boot', 64, 127), partition('system', 128, 300)]) {
  const bytes = new Uint8Array(sectors * sectorBytes);
  const plan = {
    sectorBytes,
    diskBytes: bytes.length,
    diskGuid: '01234567-89AB-CDEF-0123-456789ABCDEF',
    partitions,
  };
  for (const piece of writeGpt(plan)) bytes.set(piece.bytes, piece.offset);
  return bytes;
}

/** Changes a header field and makes its checksum right again. */
function patchHeader(
  bytes: Uint8Array,
  sector: number,
  change: (header: ReturnType<typeof gptHeader.read>) => object,
) {
  const at = sector * 512;
  const header = { ...gptHeader.read(bytes, at), headerCrc32: 0 };
  gptHeader.write(bytes, at, { ...header, ...change(header) });
  const fixed = gptHeader.read(bytes, at);
  gptHeader.write(bytes, at, { ...fixed, headerCrc32: crc32(bytes.slice(at, at + gptHeader.bytes)) });
}

describe('readGpt', () => {
  it.each([512, 4096])('reads back what was written with sectors of %i bytes', async (sectorBytes) => {
    const gpt = await readGpt(memorySource(disk(sectorBytes)));
    expect(gpt).toMatchObject({
      sectorBytes,
      from: 'primary',
      findings: [],
      diskGuid: '01234567-89AB-CDEF-0123-456789ABCDEF',
    });
    expect(
      gpt.partitions.map(({ number, name, firstLba, lastLba }) => [number, name, firstLba, lastLba]),
    ).toEqual([
      [1, 'boot', 64, 127],
      [2, 'system', 128, 300],
    ]);
    expect(gpt.partitions[1]).toMatchObject({ startBytes: 128 * sectorBytes, bytes: 173 * sectorBytes });
  });

  it.each([
    ['the header', 512 + 24],
    ['the entries', 1024 + 60],
  ])('uses the backup with a finding when %s of the primary is damaged', async (_what, at) => {
    const bytes = disk(512);
    bytes[at]! ^= 0x40;
    const gpt = await readGpt(memorySource(bytes), 512);
    expect(gpt.from).toBe('backup');
    expect(gpt.findings.join()).toMatch(/primary table is damaged/);
    expect(gpt.partitions).toHaveLength(2);
  });

  it('reads the primary with a finding when the backup is gone', async () => {
    const bytes = disk(512);
    bytes.fill(0, bytes.length - 512);
    const gpt = await readGpt(memorySource(bytes), 512);
    expect(gpt.from).toBe('primary');
    expect(gpt.findings.join()).toMatch(/backup table is damaged/);
  });

  it('says so when primary and backup differ', async () => {
    const bytes = disk(512);
    const other = disk(512, [partition('boot', 64, 126)]);
    bytes.set(other.subarray(other.length - 33 * 512), bytes.length - 33 * 512);
    expect((await readGpt(memorySource(bytes), 512)).findings.join()).toMatch(/lists other partitions/);
  });

  it.each([
    ['sizeOfPartitionEntry', { sizeOfPartitionEntry: 100 }],
    ['numberOfPartitionEntries', { numberOfPartitionEntries: 0xffffffff }],
    ['lastUsableLba', { lastUsableLba: 10_000n }],
    ['partitionEntryLba', { partitionEntryLba: 2n ** 60n }],
    ['revision', { revision: 1 }],
    ['headerBytes', { headerBytes: 4000 }],
    ['myLba', { myLba: 7n }],
  ])('names %s when it makes no sense in either copy', async (field, change) => {
    const bytes = disk(512);
    patchHeader(bytes, 1, () => change);
    bytes.fill(0, bytes.length - 512);
    await expect(readGpt(memorySource(bytes), 512)).rejects.toMatchObject({
      name: 'FormatError',
      format: 'gpt',
      field,
    });
  });

  it('tells of overlapping partitions, and of those that lie outside', async () => {
    const bytes = disk(512, [partition('boot', 64, 200), partition('system', 128, 300)]);
    const gpt = await readGpt(memorySource(bytes), 512);
    expect(gpt.partitions.map(({ name }) => name)).toEqual(['boot', 'system']);
    expect(gpt.findings).toEqual(['Partitions “boot” and “system” overlap.']);
    const beyond = disk(512, [partition('boot', 64, 126), partition('system', 128, 90_000)]);
    const cut = await readGpt(memorySource(beyond), 512);
    expect(cut.partitions.map(({ name }) => name)).toEqual(['boot']);
    expect(cut.findings.join()).toMatch(
      /“system” has sectors 128 to 90000, which are not there: it is left out/,
    );
  });

  it('refuses a disk too small for a table', async () => {
    await expect(readGpt(memorySource(new Uint8Array(700)))).rejects.toBeInstanceOf(FormatError);
  });
});

describe('gptRegions', () => {
  it.each([512, 4096])('takes both copies of a table with sectors of %i bytes', async (sectorBytes) => {
    const bytes = disk(sectorBytes);
    const { primary, backup } = await gptRegions(memorySource(bytes), sectorBytes);
    expect(primary).toEqual({ offset: 0, bytes: 2 * sectorBytes + 16_384 });
    expect(backup.offset + backup.bytes).toBe(bytes.length);
    expect(backup.bytes).toBe(sectorBytes + 16_384);
    // Put together with nothing between them, they tell the same partitions.
    const bare = new Uint8Array(bytes.length);
    for (const { offset, bytes: length } of [primary, backup]) {
      bare.set(bytes.subarray(offset, offset + length), offset);
    }
    expect(await readGpt(memorySource(bare), sectorBytes)).toEqual(
      await readGpt(memorySource(bytes), sectorBytes),
    );
  });

  it('takes as much where the headers are gone or say what cannot be', async () => {
    const bytes = disk(512);
    const usual = await gptRegions(memorySource(bytes), 512);
    patchHeader(bytes, 1, () => ({ numberOfPartitionEntries: 0xffffffff }));
    bytes.fill(0, bytes.length - 512);
    expect(await gptRegions(memorySource(bytes), 512)).toEqual(usual);
  });

  it('takes more where a header names more entries than usual', async () => {
    const bytes = disk(512);
    patchHeader(bytes, 1, () => ({ numberOfPartitionEntries: 256 }));
    expect((await gptRegions(memorySource(bytes), 512)).primary.bytes).toBe(1024 + 32_768);
  });
});
