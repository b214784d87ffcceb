import { readAscii } from '../../bytes/text.ts';

// The first sector of a disk or of a FAT file system: Microsoft, "FAT: General Overview of On-Disk Format", 1.03; partition
// entries as UEFI 2.10, 5.2.1 has them.

const markAt = 510;
const entriesAt = 446;
const entryBytes = 16;
/** Stands for a table that is a GPT. */
const protectiveType = 0xee;

const hasMark = (head: Uint8Array): boolean => head[markAt] === 0x55 && head[markAt + 1] === 0xaa;
const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** What a FAT file system says of itself. */
export interface Fat {
  readonly kind: 'FAT12' | 'FAT16' | 'FAT32';
  readonly label: string;
  readonly sectorBytes: number;
  readonly clusterBytes: number;
  /** Bytes of the whole file system. */
  readonly bytes: number;
}

/** By its first sector; undefined for anything else. */
export function readFat(head: Uint8Array): Fat | undefined {
  if (head.length < 512 || !hasMark(head) || (head[0] !== 0xeb && head[0] !== 0xe9)) return undefined;
  const view = viewOf(head);
  const sectorBytes = view.getUint16(11, true);
  const perCluster = head[13]!;
  const fats = head[16]!;
  const isPower = (value: number) => value > 0 && (value & (value - 1)) === 0;
  if (sectorBytes < 512 || sectorBytes > 4096 || !isPower(sectorBytes) || !isPower(perCluster))
    return undefined;
  const reserved = view.getUint16(14, true);
  if (fats < 1 || fats > 2 || reserved === 0) return undefined;
  const sectors = view.getUint16(19, true) || view.getUint32(32, true);
  const small = view.getUint16(22, true);
  const perFat = small || view.getUint32(36, true);
  const rootSectors = Math.ceil((view.getUint16(17, true) * 32) / sectorBytes);
  const clusters = Math.floor((sectors - reserved - fats * perFat - rootSectors) / perCluster);
  if (!(clusters > 0)) return undefined;
  // The number of clusters alone tells which it is ("FAT Type Determination").
  const kind = clusters < 4085 ? 'FAT12' : clusters < 65_525 ? 'FAT16' : 'FAT32';
  const labelAt = small ? 43 : 71;
  return {
    kind,
    label: readAscii(head.subarray(labelAt, labelAt + 11)).trim(),
    sectorBytes,
    clusterBytes: sectorBytes * perCluster,
    bytes: sectors * sectorBytes,
  };
}

export interface DosPartition {
  readonly number: number;
  readonly type: number;
  readonly active: boolean;
  readonly firstSector: number;
  readonly sectors: number;
}

/** The partitions of a DOS table; undefined where there is none, or it stands for a GPT. */
export function readDosTable(head: Uint8Array): DosPartition[] | undefined {
  if (head.length < 512 || !hasMark(head)) return undefined;
  const view = viewOf(head);
  const found: DosPartition[] = [];
  for (let i = 0; i < 4; i++) {
    const at = entriesAt + i * entryBytes;
    const status = head[at]!;
    const type = head[at + 4]!;
    if (status !== 0 && status !== 0x80) return undefined;
    if (type === 0) continue;
    if (type === protectiveType) return undefined;
    const firstSector = view.getUint32(at + 8, true);
    const sectors = view.getUint32(at + 12, true);
    if (firstSector === 0 || sectors === 0) return undefined;
    found.push({ number: i + 1, type, active: status === 0x80, firstSector, sectors });
  }
  return found.length > 0 ? found : undefined;
}
