import { crc32 } from '../../bytes/crc32.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { readUtf16 } from '../../bytes/text.ts';
import { guidText } from './guid.ts';
import { gptEntry, gptHeader, gptRevision, gptSignature, maxEntryArrayBytes } from './layouts.ts';

export interface GptPartition {
  /** Position in the entry array, counted from 1 as partitioning tools do. */
  readonly number: number;
  readonly name: string;
  readonly typeGuid: string;
  readonly uniqueGuid: string;
  readonly firstLba: number;
  /** Inclusive. */
  readonly lastLba: number;
  readonly startBytes: number;
  readonly bytes: number;
  readonly attributes: bigint;
}

export interface Gpt {
  readonly sectorBytes: number;
  readonly diskGuid: string;
  readonly firstUsableLba: number;
  readonly lastUsableLba: number;
  readonly partitions: readonly GptPartition[];
  /** Which copy was read. */
  readonly from: 'primary' | 'backup';
  /** What is wrong with the copy that was not used, in sentences; empty when both agree. */
  readonly findings: readonly string[];
}

/**
 * Reads a GUID partition table (UEFI 2.10, 5.3): both headers, both entry arrays, all CRCs.
 * When the primary is damaged the backup at the last sector is used and a finding says so.
 *
 * @param source the whole flash, from its first sector to its last
 * @param sectorBytes 512 (eMMC) or 4096 (UFS); both are tried when left out
 * @throws FormatError when neither copy can be used
 */
export async function readGpt(source: ByteSource, sectorBytes?: number): Promise<Gpt> {
  if (sectorBytes !== undefined) return readWithSectors(source, sectorBytes);
  try {
    return await readWithSectors(source, 512);
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    try {
      return await readWithSectors(source, 4096);
    } catch (second) {
      if (!(second instanceof FormatError)) throw second;
      throw error;
    }
  }
}

async function readWithSectors(source: ByteSource, sectorBytes: number): Promise<Gpt> {
  const lastLba = Math.floor(source.bytes / sectorBytes) - 1;
  const primary = await attempt(() => readCopy(source, sectorBytes, 1, lastLba));
  const backup = await attempt(() => readCopy(source, sectorBytes, lastLba, lastLba));

  if ('error' in primary) {
    if ('error' in backup) throw primary.error;
    return {
      ...backup.value.gpt,
      from: 'backup',
      findings: [
        `The primary table is damaged (${primary.error.message}); the backup was read.`,
        ...backup.value.findings,
      ],
    };
  }
  const findings: string[] = [];
  if ('error' in backup) {
    findings.push(`The backup table is damaged (${backup.error.message}).`);
  } else if (backup.value.arrayCrc32 !== primary.value.arrayCrc32) {
    findings.push('The backup table lists other partitions than the primary; the primary was read.');
  }
  if (primary.value.alternateLba !== lastLba) {
    findings.push(
      `The primary table expects its backup in sector ${primary.value.alternateLba}, not in the last one (${lastLba}).`,
    );
  }
  return { ...primary.value.gpt, from: 'primary', findings: [...findings, ...primary.value.findings] };
}

type Attempt<T> = { value: T } | { error: FormatError };

async function attempt<T>(work: () => Promise<T>): Promise<Attempt<T>> {
  try {
    return { value: await work() };
  } catch (error) {
    if (error instanceof FormatError) return { error };
    throw error;
  }
}

interface Copy {
  gpt: Omit<Gpt, 'from' | 'findings'>;
  arrayCrc32: number;
  alternateLba: number;
  findings: readonly string[];
}

async function readCopy(
  source: ByteSource,
  sectorBytes: number,
  lba: number,
  lastLba: number,
): Promise<Copy> {
  const base = lba * sectorBytes;
  const at = (field: Parameters<typeof gptHeader.offsetOf>[0]) => base + gptHeader.offsetOf(field);

  if (lastLba < 2) throw new FormatError('gpt', 'header', 0, 'too small to hold a partition table');
  const sector = await readWithin(source, base, sectorBytes, 'gpt', 'header');
  const header = gptHeader.read(sector, 0, base);
  if (header.signature !== gptSignature) {
    throw new FormatError('gpt', 'signature', base, `no "${gptSignature}" here`);
  }
  if (header.revision !== gptRevision) {
    throw new FormatError('gpt', 'revision', at('revision'), `0x${header.revision.toString(16)}`);
  }
  if (header.headerBytes < gptHeader.bytes || header.headerBytes > sectorBytes) {
    throw new FormatError('gpt', 'headerBytes', at('headerBytes'), `${header.headerBytes} bytes`);
  }
  const covered = new Uint8Array(sector.subarray(0, header.headerBytes));
  covered.fill(0, gptHeader.offsetOf('headerCrc32'), gptHeader.offsetOf('headerCrc32') + 4);
  if (crc32(covered) !== header.headerCrc32) {
    throw new FormatError('gpt', 'headerCrc32', at('headerCrc32'), 'the header checksum is wrong');
  }
  const lbaField = (
    field: 'myLba' | 'alternateLba' | 'firstUsableLba' | 'lastUsableLba' | 'partitionEntryLba',
  ) => safeInteger(header[field], 'gpt', field, at(field));
  if (lbaField('myLba') !== lba) {
    throw new FormatError('gpt', 'myLba', at('myLba'), `says ${header.myLba}, stands in ${lba}`);
  }
  const firstUsableLba = lbaField('firstUsableLba');
  const lastUsableLba = lbaField('lastUsableLba');
  if (lastUsableLba > lastLba || firstUsableLba > lastUsableLba + 1) {
    throw new FormatError(
      'gpt',
      'lastUsableLba',
      at('lastUsableLba'),
      `usable sectors ${firstUsableLba}–${lastUsableLba} on a flash whose last is ${lastLba}`,
    );
  }
  const entryBytes = header.sizeOfPartitionEntry;
  if (entryBytes < gptEntry.bytes || entryBytes % 128 !== 0 || (entryBytes & (entryBytes - 1)) !== 0) {
    throw new FormatError(
      'gpt',
      'sizeOfPartitionEntry',
      at('sizeOfPartitionEntry'),
      `${entryBytes} is not 128 times a power of two`,
    );
  }
  const arrayBytes = entryBytes * header.numberOfPartitionEntries;
  if (arrayBytes > maxEntryArrayBytes) {
    throw new FormatError(
      'gpt',
      'numberOfPartitionEntries',
      at('numberOfPartitionEntries'),
      `${header.numberOfPartitionEntries} entries`,
    );
  }
  const arrayBase = lbaField('partitionEntryLba') * sectorBytes;
  const array = await readWithin(source, arrayBase, arrayBytes, 'gpt', 'partitionEntryLba');
  if (crc32(array) !== header.partitionEntryArrayCrc32) {
    throw new FormatError(
      'gpt',
      'partitionEntryArrayCrc32',
      at('partitionEntryArrayCrc32'),
      'the checksum of the partition entries is wrong',
    );
  }
  const { partitions, findings } = readEntries(
    array,
    arrayBase,
    entryBytes,
    sectorBytes,
    firstUsableLba,
    lastUsableLba,
    lastLba,
  );
  return {
    gpt: {
      sectorBytes,
      diskGuid: guidText(header.diskGuid),
      firstUsableLba,
      lastUsableLba,
      partitions,
    },
    arrayCrc32: header.partitionEntryArrayCrc32,
    alternateLba: lbaField('alternateLba'),
    findings,
  };
}

function readEntries(
  array: Uint8Array,
  base: number,
  entryBytes: number,
  sectorBytes: number,
  firstUsableLba: number,
  lastUsableLba: number,
  lastOfDisk: number,
): { partitions: GptPartition[]; findings: string[] } {
  const partitions: GptPartition[] = [];
  const findings: string[] = [];
  for (let offset = 0; offset + entryBytes <= array.length; offset += entryBytes) {
    const entry = gptEntry.read(array, offset, base);
    if (entry.partitionTypeGuid.every((byte) => byte === 0)) continue;
    const where = (field: 'startingLba' | 'endingLba') => base + offset + gptEntry.offsetOf(field);
    const firstLba = safeInteger(entry.startingLba, 'gpt', 'startingLba', where('startingLba'));
    const lastLba = safeInteger(entry.endingLba, 'gpt', 'endingLba', where('endingLba'));
    const name = readUtf16(entry.partitionName);
    if (lastLba < firstLba || lastLba > lastOfDisk) {
      findings.push(
        `Partition “${name}” has sectors ${firstLba} to ${lastLba}, which are not there: it is left out.`,
      );
      continue;
    }
    if (firstLba < firstUsableLba || lastLba > lastUsableLba)
      findings.push(
        `Partition “${name}” takes sectors ${firstLba} to ${lastLba}, outside the usable ${firstUsableLba} to ${lastUsableLba}.`,
      );
    partitions.push({
      number: offset / entryBytes + 1,
      name,
      typeGuid: guidText(entry.partitionTypeGuid),
      uniqueGuid: guidText(entry.uniquePartitionGuid),
      firstLba,
      lastLba,
      startBytes: firstLba * sectorBytes,
      bytes: (lastLba - firstLba + 1) * sectorBytes,
      attributes: entry.attributes,
    });
  }
  const byStart = [...partitions].sort((a, b) => a.firstLba - b.firstLba);
  for (let i = 1; i < byStart.length; i++) {
    const [before, after] = [byStart[i - 1]!, byStart[i]!];
    if (after.firstLba <= before.lastLba)
      findings.push(`Partitions “${before.name}” and “${after.name}” overlap.`);
  }
  return { partitions, findings };
}
