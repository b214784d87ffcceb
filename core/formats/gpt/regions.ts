import type { ByteSource } from '../../bytes/source.ts';
import { gptHeader, gptSignature, maxEntryArrayBytes } from './layouts.ts';

/** Bytes of a disk that a copy of its partition table takes. */
export interface GptRegion {
  readonly offset: number;
  readonly bytes: number;
}

/** The least that UEFI lets the entries have (UEFI 2.10, 5.3.1). */
const leastEntryBytes = 16 * 1024;

/**
 * Where both copies of a partition table lie, whether or not they are whole: the protective MBR, the header
 * and the entries at the front; the entries and the header at the end. What a header says of its entries is
 * believed within reason, otherwise the usual sizes are taken.
 * @param source the whole disk
 * @param sectorBytes 512 or 4096
 */
export async function gptRegions(
  source: ByteSource,
  sectorBytes: number,
): Promise<{ primary: GptRegion; backup: GptRegion }> {
  const sectors = Math.floor(source.bytes / sectorBytes);
  const usual = Math.ceil(leastEntryBytes / sectorBytes);
  const most = Math.ceil(maxEntryArrayBytes / sectorBytes);
  const front = await entriesOf(source, 1, sectorBytes);
  const back = await entriesOf(source, sectors - 1, sectorBytes);
  const frontEnd =
    front && front.first >= 2 && front.end <= 2 + most ? Math.max(front.end, 2 + usual) : 2 + usual;
  const backStart =
    back && back.end <= sectors - 1 && back.first >= sectors - 1 - most
      ? Math.min(back.first, sectors - 1 - usual)
      : sectors - 1 - usual;
  const clamped = (sector: number) => Math.min(Math.max(sector, 0), sectors) * sectorBytes;
  return {
    primary: { offset: 0, bytes: clamped(frontEnd) },
    backup: { offset: clamped(backStart), bytes: sectors * sectorBytes - clamped(backStart) },
  };
}

/** First sector of the entries that a header names, and the one behind them; undefined where there is no header. */
async function entriesOf(
  source: ByteSource,
  sector: number,
  sectorBytes: number,
): Promise<{ first: number; end: number } | undefined> {
  if (sector < 1 || (sector + 1) * sectorBytes > source.bytes) return undefined;
  const bytes = await source.read(sector * sectorBytes, sectorBytes);
  if (bytes.length < gptHeader.bytes) return undefined;
  const header = gptHeader.read(bytes);
  if (header.signature !== gptSignature) return undefined;
  const first = Number(header.partitionEntryLba);
  const entryBytes = header.numberOfPartitionEntries * header.sizeOfPartitionEntry;
  return { first, end: first + Math.ceil(entryBytes / sectorBytes) };
}
