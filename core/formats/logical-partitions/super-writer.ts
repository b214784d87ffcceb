import { sha256 } from '../../bytes/hashing.ts';
import { joinBytes } from '../../bytes/join.ts';
import { written } from '../../bytes/layout.ts';
import {
  attributeNames,
  geometryMagic,
  geometryRoomBytes,
  metadataMagic,
  reservedBytes,
  sectorBytes,
  structures,
  targetTypes,
} from './layouts.ts';

/** Logical partitions to be laid out one behind the other, each in one extent. */
export interface LogicalPlan {
  readonly superBytes: number;
  /** The most that a group's partitions may take together; 0 for no limit. */
  readonly groups: readonly { readonly name: string; readonly maximumBytes: number }[];
  readonly partitions: readonly PlannedLogical[];
}

export interface PlannedLogical {
  readonly name: string;
  /** One of the plan's groups. */
  readonly group: string;
  /** By their names; read-only where left out. */
  readonly attributes?: readonly string[];
  readonly bytes: number;
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

export interface LogicalLayout {
  /** Geometry and metadata, in the order of their offsets. */
  readonly pieces: readonly LogicalPiece[];
  /** Where each partition lies in `super`, in the plan's order. */
  readonly places: readonly { readonly name: string; readonly offset: number; readonly bytes: number }[];
  /** How far the last partition reaches. */
  readonly endBytes: number;
}

const aligned = (bytes: number) => Math.ceil(bytes / alignmentBytes) * alignmentBytes;
/** Behind all copies of the geometry and the metadata. */
const firstBytes = aligned(reservedBytes + 2 * geometryRoomBytes + 2 * slots * metadataMaxBytes);

/** What a group may take when nothing else uses `super`. */
export const roomFor = (superBytes: number): number => superBytes - firstBytes;

/** Geometry and metadata, all copies of both (AOSP liblp, metadata_format.h); both slots alike. */
export function layOutLogical({ superBytes, groups, partitions }: LogicalPlan): LogicalLayout {
  const groupNames = ['default', ...groups.map(({ name }) => name)];
  const places: LogicalLayout['places'][number][] = [];
  const extents: Uint8Array[] = [];
  let offset = firstBytes;
  const entries = partitions.map(({ name, group, attributes = ['read-only'], bytes }) => {
    const firstExtent = extents.length;
    if (bytes > 0) {
      extents.push(
        written(structures.extent, {
          sectors: BigInt(bytes / sectorBytes),
          targetType: targetTypes.linear,
          targetData: BigInt(offset / sectorBytes),
          targetSource: 0,
        }),
      );
    }
    places.push({ name, offset, bytes });
    offset = aligned(offset + bytes);
    return written(structures.partition, {
      name,
      attributes: attributeNames.reduce((all, [bit, each]) => all | (attributes.includes(each) ? bit : 0), 0),
      firstExtent,
      extents: extents.length - firstExtent,
      group: groupNames.indexOf(group),
    });
  });
  const tables = [
    entries,
    extents,
    [{ name: 'default', maximumBytes: 0 }, ...groups].map(({ name, maximumBytes }) =>
      written(structures.group, { name, flags: 0, maximumBytes: BigInt(maximumBytes) }),
    ),
    [
      written(structures.blockDevice, {
        firstLogicalSector: BigInt(firstBytes / sectorBytes),
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
  const pieces = [
    { offset: reservedBytes, bytes: geometry },
    { offset: reservedBytes + geometryRoomBytes, bytes: geometry },
    ...Array.from({ length: 2 * slots }, (_, copy) => ({
      offset: reservedBytes + 2 * geometryRoomBytes + copy * metadataMaxBytes,
      bytes: metadata,
    })),
  ];
  return {
    pieces,
    places,
    endBytes: places.reduce((end, each) => Math.max(end, each.offset + each.bytes), 0),
  };
}

function geometryBlock(): Uint8Array {
  const value = {
    magic: geometryMagic,
    structBytes: structures.geometry.bytes,
    checksum: zeroDigest,
    metadataMaxBytes,
    metadataSlots: slots,
    logicalBlockBytes: 4096,
  };
  const block = new Uint8Array(geometryRoomBytes);
  structures.geometry.write(block, 0, { ...value, checksum: sha256(written(structures.geometry, value)) });
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
    headerBytes: structures.header.bytes,
    headerChecksum: zeroDigest,
    tablesBytes: body.length,
    tablesChecksum: sha256(body),
    partitionsOffset: at(0),
    partitionsEntries: partitions!.length,
    partitionsEntryBytes: structures.partition.bytes,
    extentsOffset: at(1),
    extentsEntries: extents!.length,
    extentsEntryBytes: structures.extent.bytes,
    groupsOffset: at(2),
    groupsEntries: groups!.length,
    groupsEntryBytes: structures.group.bytes,
    blockDevicesOffset: at(3),
    blockDevicesEntries: devices!.length,
    blockDevicesEntryBytes: structures.blockDevice.bytes,
  };
  return joinBytes([
    written(structures.header, { ...value, headerChecksum: sha256(written(structures.header, value)) }),
    body,
  ]);
}
