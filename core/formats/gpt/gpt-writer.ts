import { crc32 } from '../../bytes/crc32.ts';
import { guidBytes } from './guid.ts';
import { gptEntry, gptHeader, gptRevision, gptSignature } from './layouts.ts';

export interface GptPlan {
  readonly sectorBytes: number;
  readonly diskBytes: number;
  readonly diskGuid: string;
  readonly partitions: readonly {
    readonly name: string;
    readonly typeGuid: string;
    readonly uniqueGuid: string;
    readonly firstLba: number;
    readonly lastLba: number;
  }[];
}

const entryCount = 128;

/** What to write and where (byte offsets into the disk). */
export interface GptPiece {
  readonly offset: number;
  readonly bytes: Uint8Array;
}

/** First sector after the primary table: protective MBR, header, 128 entries of 128 bytes. */
export const firstUsableLba = (sectorBytes: number): number =>
  2 + Math.ceil((entryCount * gptEntry.bytes) / sectorBytes);

/**
 * The protective MBR, primary and backup table of a disk (UEFI 2.10, 5.2.3 and 5.3).
 * Partitions are taken as they are; sizes are not checked against each other.
 */
export function writeGpt(plan: GptPlan): GptPiece[] {
  const { sectorBytes, diskBytes } = plan;
  const lastLba = diskBytes / sectorBytes - 1;
  const arraySectors = firstUsableLba(sectorBytes) - 2;
  const array = new Uint8Array(arraySectors * sectorBytes);
  plan.partitions.forEach((partition, i) => {
    const name = new Uint8Array(72);
    for (let c = 0; c < Math.min(36, partition.name.length); c++) {
      name[c * 2] = partition.name.charCodeAt(c) & 0xff;
      name[c * 2 + 1] = partition.name.charCodeAt(c) >> 8;
    }
    gptEntry.write(array, i * gptEntry.bytes, {
      partitionTypeGuid: guidBytes(partition.typeGuid),
      uniquePartitionGuid: guidBytes(partition.uniqueGuid),
      startingLba: BigInt(partition.firstLba),
      endingLba: BigInt(partition.lastLba),
      attributes: 0n,
      partitionName: name,
    });
  });
  const header = (myLba: number, alternateLba: number, partitionEntryLba: number) => {
    const sector = new Uint8Array(sectorBytes);
    const fields = {
      signature: gptSignature,
      revision: gptRevision,
      headerBytes: gptHeader.bytes,
      headerCrc32: 0,
      reserved: 0,
      myLba: BigInt(myLba),
      alternateLba: BigInt(alternateLba),
      firstUsableLba: BigInt(firstUsableLba(sectorBytes)),
      lastUsableLba: BigInt(lastLba - arraySectors - 1),
      diskGuid: guidBytes(plan.diskGuid),
      partitionEntryLba: BigInt(partitionEntryLba),
      numberOfPartitionEntries: entryCount,
      sizeOfPartitionEntry: gptEntry.bytes,
      partitionEntryArrayCrc32: crc32(array.subarray(0, entryCount * gptEntry.bytes)),
    };
    gptHeader.write(sector, 0, fields);
    const headerCrc32 = crc32(sector.subarray(0, gptHeader.bytes));
    gptHeader.write(sector, 0, { ...fields, headerCrc32 });
    return sector;
  };
  return [
    { offset: 0, bytes: protectiveMbr(sectorBytes, lastLba) },
    { offset: sectorBytes, bytes: header(1, lastLba, 2) },
    { offset: 2 * sectorBytes, bytes: array },
    { offset: (lastLba - arraySectors) * sectorBytes, bytes: array },
    { offset: lastLba * sectorBytes, bytes: header(lastLba, 1, lastLba - arraySectors) },
  ];
}

function protectiveMbr(sectorBytes: number, lastLba: number): Uint8Array {
  const sector = new Uint8Array(sectorBytes);
  const view = new DataView(sector.buffer);
  const record = 446;
  sector.set([0x00, 0x00, 0x02, 0x00, 0xee, 0xff, 0xff, 0xff], record);
  view.setUint32(record + 8, 1, true);
  view.setUint32(record + 12, Math.min(lastLba, 0xffffffff), true);
  sector.set([0x55, 0xaa], 510);
  return sector;
}
