import { ascii, layout, raw, u16, u32, u64, u8 } from '../../bytes/layout.ts';

// On disk as Linux publishes it: fs/erofs/erofs_fs.h, little endian throughout.

export const superblockMagic = 0xe0f5e1e2;
export const superblockOffset = 1024;
/** Inodes stand at multiples of these. */
export const inodeSlotBytes = 32;

export const superblock = layout('erofs', {
  magic: u32, // 0xe0f5e1e2
  checksum: u32, // CRC-32C over the rest of the first block, this field zero
  compatibleFeatures: u32,
  blockBits: u8,
  extendedSlots: u8,
  rootNid: u16,
  inodes: u64,
  buildTime: u64, // seconds
  buildTimeNanoseconds: u32,
  blocks: u32,
  metaBlock: u32,
  attributesBlock: u32,
  uuid: raw(16),
  volumeName: ascii(16),
  incompatibleFeatures: u32,
  compressionAlgorithms: u16, // or, without compression settings, the largest distance of lz4
  extraDevices: u16,
  deviceTableSlot: u16,
  directoryBlockBits: u8, // more than those of a block
  attributePrefixCount: u8,
  attributePrefixStart: u32, // in words of four bytes
  packedNid: u64,
  attributeFilter: u8,
  reserved: raw(23),
});

export const compatible = { checksum: 0x1, plainAttributePrefixes: 0x10 } as const;
export const incompatible = {
  zeroPadding: 0x1,
  compressionSettings: 0x2,
  chunks: 0x4,
  deviceTable: 0x8,
  inlineTails: 0x10,
  fragments: 0x20,
  attributePrefixes: 0x40,
} as const;

/** What each bit is called by the kernel; some stand for two things that came at the same time. */
export const featureNames: Readonly<Record<number, string>> = {
  0x1: 'zero_padding',
  0x2: 'compr_cfgs/big_pcluster',
  0x4: 'chunked_file',
  0x8: 'device_table/compr_head2',
  0x10: 'ztailpacking',
  0x20: 'fragments/dedupe',
  0x40: 'xattr_prefixes',
};

export const compactInode = layout('erofs', {
  i_format: u16,
  i_xattr_icount: u16,
  i_mode: u16,
  i_nlink: u16,
  i_size: u32,
  i_reserved: u32,
  i_u: u32,
  i_ino: u32,
  i_uid: u16,
  i_gid: u16,
  i_reserved2: u32,
});

export const extendedInode = layout('erofs', {
  i_format: u16,
  i_xattr_icount: u16,
  i_mode: u16,
  i_reserved: u16,
  i_size: u64,
  i_u: u32,
  i_ino: u32,
  i_uid: u32,
  i_gid: u32,
  i_mtime: u64,
  i_mtime_nsec: u32,
  i_nlink: u32,
  i_reserved2: raw(16),
});

/** How the contents of an inode lie (bits 1 to 3 of i_format). */
export const dataLayouts = ['flat', 'packed, full index', 'inline', 'packed', 'chunks'] as const;

export const chunkFlags = { bits: 0x1f, indexes: 0x20, is48Bit: 0x40 } as const;
export const noBlock = 0xffffffff;

export const mapHeader = layout('erofs', {
  h_reserved1: u16, // with the next, the place in the packed file
  h_idata_size: u16,
  h_advise: u16,
  h_algorithmtype: u8, // a half byte for each of two kinds of head
  h_clusterbits: u8,
});

export const advise = {
  compacted2b: 0x01,
  bigCluster1: 0x02,
  bigCluster2: 0x04,
  inlineTail: 0x08,
  interlaced: 0x10,
  fragment: 0x20,
} as const;

/** All of the file is in the packed one. */
export const wholeFragmentBit = 0x80;

export const clusterTypes = ['plain', 'head1', 'nonhead', 'head2'] as const;
/** Marks a number of blocks where otherwise a distance stands. */
export const blockCountFlag = 1 << 11;

export const directoryEntryBytes = 12; // nid u64, name's offset u16, type u8, reserved u8

export const attributeHeaderBytes = 12; // filter u32, count of shared ones u8, seven reserved
export const attributeEntryBytes = 4; // name's length u8, prefix u8, value's length u16
export const longPrefixFlag = 0x80;
