import { ascii, layout, raw, u16, u32, u64 } from '../../bytes/layout.ts';

/** The structures of logical partitions, little endian (AOSP system/core/fs_mgr/liblp, metadata_format.h). */
export const structures = {
  /** Where and how large the metadata is. */
  geometry: layout('logical-partitions', {
    magic: u32, // "gDla"
    structBytes: u32,
    checksum: raw(32), // SHA-256 over structBytes, this field zero
    metadataMaxBytes: u32,
    metadataSlots: u32,
    logicalBlockBytes: u32,
  }),
  /** Metadata header, the part that every version has. */
  header: layout('logical-partitions', {
    magic: u32, // "0PLA"
    majorVersion: u16,
    minorVersion: u16,
    headerBytes: u32,
    headerChecksum: raw(32), // SHA-256 over headerBytes, this field zero
    tablesBytes: u32,
    tablesChecksum: raw(32),
    partitionsOffset: u32, // from the end of the header
    partitionsEntries: u32,
    partitionsEntryBytes: u32,
    extentsOffset: u32,
    extentsEntries: u32,
    extentsEntryBytes: u32,
    groupsOffset: u32,
    groupsEntries: u32,
    groupsEntryBytes: u32,
    blockDevicesOffset: u32,
    blockDevicesEntries: u32,
    blockDevicesEntryBytes: u32,
  }),
  partition: layout('logical-partitions', {
    name: ascii(36),
    attributes: u32,
    firstExtent: u32,
    extents: u32,
    group: u32,
  }),
  extent: layout('logical-partitions', {
    sectors: u64, // of 512 bytes
    targetType: u32,
    targetData: u64, // first sector on the block device
    targetSource: u32, // which block device
  }),
  group: layout('logical-partitions', { name: ascii(36), flags: u32, maximumBytes: u64 }),
  blockDevice: layout('logical-partitions', {
    firstLogicalSector: u64,
    alignmentBytes: u32,
    alignmentOffset: u32,
    bytes: u64,
    partitionName: ascii(36),
    flags: u32,
  }),
};

export type LpTable = 'partitions' | 'extents' | 'groups' | 'blockDevices';

export const geometryMagic = 0x616c4467; // "gDla"
export const metadataMagic = 0x414c5030; // "0PLA"
export const sectorBytes = 512;
/** The first bytes are left alone, since other programs look for a boot block there. */
export const reservedBytes = 4096;
/** Room for a geometry; there are two, one behind the other. */
export const geometryRoomBytes = 4096;
export const targetTypes = { linear: 0, zero: 1 } as const;
export const attributeNames: readonly (readonly [bit: number, name: string])[] = [
  [1, 'read-only'],
  [2, 'slot-suffixed'],
  [4, 'updated'],
  [8, 'disabled'],
];
