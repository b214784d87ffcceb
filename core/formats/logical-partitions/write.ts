import { sha256 } from '@noble/hashes/sha2.js';
import { joinBytes } from '../../bytes/join.ts';
import type { Layout } from '../../bytes/layout.ts';
import {
  geometryMagic,
  geometryRoomBytes,
  lpBlockDevice,
  lpExtent,
  lpGeometry,
  lpGroup,
  lpHeader,
  lpPartition,
  metadataMagic,
  reservedBytes,
  sectorBytes,
  targetTypes,
} from './layouts.ts';

/** Logical partitions to be laid out one behind the other, each in one extent. */
export interface LogicalPlan {
  readonly superBytes: number;
  readonly group: string;
  readonly partitions: readonly { readonly name: string; readonly bytes: number }[];
}

const metadataMaxBytes = 65536;
const slots = 2;
const alignmentBytes = 1 << 20;
const zeroDigest = new Uint8Array(32);

/** What to write and where, byte offsets into `super`. */
export interface LogicalPiece {
  readonly offset: number;
  readonly bytes: Uint8Array;
}

/** Geometry and metadata, all copies of both (AOSP liblp, metadata_format.h); both slots alike. */
export function writeLogicalPartitions({ superBytes, group, partitions }: LogicalPlan): LogicalPiece[] {
  const firstSector =
    (Math.ceil((reservedBytes + 2 * geometryRoomBytes + 2 * slots * metadataMaxBytes) / alignmentBytes) *
      alignmentBytes) /
    sectorBytes;
  let sector = firstSector;
  const extents: Uint8Array[] = [];
  const entries = partitions.map(({ name, bytes }) => {
    const sectors = bytes / sectorBytes;
    const firstExtent = extents.length;
    if (sectors > 0) {
      extents.push(
        written(lpExtent, {
          sectors: BigInt(sectors),
          targetType: targetTypes.linear,
          targetData: BigInt(sector),
          targetSource: 0,
        }),
      );
    }
    sector = (Math.ceil(((sector + sectors) * sectorBytes) / alignmentBytes) * alignmentBytes) / sectorBytes;
    return written(lpPartition, {
      name,
      attributes: 1,
      firstExtent,
      extents: extents.length - firstExtent,
      group: 1,
    });
  });
  const tables = [
    entries,
    extents,
    [
      written(lpGroup, { name: 'default', flags: 0, maximumBytes: 0n }),
      written(lpGroup, {
        name: group,
        flags: 0,
        maximumBytes: BigInt(superBytes - firstSector * sectorBytes),
      }),
    ],
    [
      written(lpBlockDevice, {
        firstLogicalSector: BigInt(firstSector),
        alignmentBytes,
        alignmentOffset: 0,
        bytes: BigInt(superBytes),
        partitionName: 'super',
        flags: 0,
      }),
    ],
  ];
  const metadata = metadataOf(tables);
  const geometry = geometryBlock();
  return [
    { offset: reservedBytes, bytes: geometry },
    { offset: reservedBytes + geometryRoomBytes, bytes: geometry },
    ...Array.from({ length: 2 * slots }, (_, copy) => ({
      offset: reservedBytes + 2 * geometryRoomBytes + copy * metadataMaxBytes,
      bytes: metadata,
    })),
  ];
}

function geometryBlock(): Uint8Array {
  const value = {
    magic: geometryMagic,
    structBytes: lpGeometry.bytes,
    checksum: zeroDigest,
    metadataMaxBytes,
    metadataSlots: slots,
    logicalBlockBytes: 4096,
  };
  const block = new Uint8Array(geometryRoomBytes);
  lpGeometry.write(block, 0, { ...value, checksum: sha256(written(lpGeometry, value)) });
  return block;
}

function metadataOf(tables: readonly (readonly Uint8Array[])[]): Uint8Array {
  const body = joinBytes(tables.flat());
  const at = (index: number) =>
    tables.slice(0, index).reduce((sum, table) => sum + joinBytes(table).length, 0);
  const [partitions, extents, groups, devices] = tables;
  const value = {
    magic: metadataMagic,
    majorVersion: 10,
    minorVersion: 0,
    headerBytes: lpHeader.bytes,
    headerChecksum: zeroDigest,
    tablesBytes: body.length,
    tablesChecksum: sha256(body),
    partitionsOffset: at(0),
    partitionsEntries: partitions!.length,
    partitionsEntryBytes: lpPartition.bytes,
    extentsOffset: at(1),
    extentsEntries: extents!.length,
    extentsEntryBytes: lpExtent.bytes,
    groupsOffset: at(2),
    groupsEntries: groups!.length,
    groupsEntryBytes: lpGroup.bytes,
    blockDevicesOffset: at(3),
    blockDevicesEntries: devices!.length,
    blockDevicesEntryBytes: lpBlockDevice.bytes,
  };
  return joinBytes([written(lpHeader, { ...value, headerChecksum: sha256(written(lpHeader, value)) }), body]);
}

function written<T>(shape: Layout<T>, value: T): Uint8Array {
  const bytes = new Uint8Array(shape.bytes);
  shape.write(bytes, 0, value);
  return bytes;
}
