import { crcRegister, crcTables } from '../../bytes/crc/sliced.ts';
import { ascii, layout, raw, u16, u32, u64, u8, words } from '../../bytes/layout.ts';

// On disk as Linux publishes it: include/linux/f2fs_fs.h, little endian throughout.

export const superblockMagic = 0xf2f52010;
export const blockBytes = 4096;
/** A hole: zeros. */
export const nullAddress = 0;
/** Allocated, never written: zeros. */
export const newAddress = 0xffffffff;
/** First of a cluster that is compressed. */
export const compressedAddress = 0xfffffffe;

export const superblock = layout('f2fs', {
  magic: u32, // 0xf2f52010
  majorVersion: u16,
  minorVersion: u16,
  sectorBits: u32,
  sectorsPerBlockBits: u32,
  blockBits: u32,
  blocksPerSegmentBits: u32,
  segmentsPerSection: u32,
  sectionsPerZone: u32,
  checksumOffset: u32,
  blocks: u64,
  sections: u32,
  segments: u32,
  checkpointSegments: u32,
  sitSegments: u32,
  natSegments: u32,
  summarySegments: u32,
  mainSegments: u32,
  segment0: u32, // block numbers from here on
  checkpoint: u32,
  sit: u32,
  nat: u32,
  summaries: u32,
  main: u32,
  rootInode: u32,
  nodeInode: u32,
  metaInode: u32,
  uuid: raw(16),
  volumeName: raw(1024), // UTF-16LE
  extensionCount: u32,
  extensions: raw(512),
  checkpointPayload: u32,
  version: ascii(256),
  firstVersion: ascii(256),
  features: u32,
  encryptionLevel: u8,
  encryptionSalt: raw(16),
  devices: raw(544),
  quotaInodes: words(3),
  hotExtensions: u8,
  encoding: u16,
  encodingFlags: u16,
  stopReasons: raw(32),
  errors: raw(16),
  reserved: raw(258),
  crc: u32,
});

export const features = {
  encrypt: 0x1,
  zoned: 0x2,
  extraAttributes: 0x8,
  flexibleInlineAttributes: 0x40,
  superblockChecksum: 0x800,
  casefold: 0x1000,
  compression: 0x2000,
  readOnly: 0x4000,
  deviceAlias: 0x8000,
} as const;

/** What each bit is called by the kernel, for saying which a file system has. */
export const featureNames: Readonly<Record<number, string>> = {
  0x1: 'encrypt',
  0x2: 'blkzoned',
  0x8: 'extra_attr',
  0x10: 'project_quota',
  0x20: 'inode_checksum',
  0x40: 'flexible_inline_xattr',
  0x80: 'quota',
  0x100: 'inode_crtime',
  0x200: 'lost_found',
  0x400: 'verity',
  0x800: 'sb_checksum',
  0x1000: 'casefold',
  0x2000: 'compression',
  0x4000: 'ro',
  0x8000: 'device_alias',
};

export const checkpoint = layout('f2fs', {
  version: u64,
  userBlocks: u64,
  validBlocks: u64,
  reservedSegments: u32,
  overprovisionedSegments: u32,
  freeSegments: u32,
  nodeSegments: words(8),
  nodeOffsets: raw(16),
  dataSegments: words(8),
  dataOffsets: raw(16),
  flags: u32,
  packBlocks: u32,
  summaryStart: u32, // blocks from the start of the pack
  validNodes: u32,
  validInodes: u32,
  nextFreeNode: u32,
  sitBitmapBytes: u32,
  natBitmapBytes: u32,
  checksumOffset: u32,
  elapsedSeconds: u64,
  allocationTypes: raw(16),
});

export const checkpointFlags = {
  unmounted: 0x1,
  orphans: 0x2,
  compactSummaries: 0x4,
  error: 0x8,
  needsCheck: 0x10,
  fastboot: 0x20,
  largeNatBitmap: 0x400,
  disabled: 0x1000,
  resizing: 0x4000,
} as const;

/** A block of summaries: entries, a journal, a footer. */
export const summaryEntryBytes = 7; // nid u32, version u8, place u16
export const summaryEntriesBytes = 512 * summaryEntryBytes;
export const journalBytes = blockBytes - summaryEntriesBytes - 5;

export const natEntryBytes = 9; // version u8, inode u32, block u32
export const natEntriesPerBlock = Math.floor(blockBytes / natEntryBytes);
export const sitEntryBytes = 74; // count and type u16, map of 64 bytes, time u64
export const sitEntriesPerBlock = Math.floor(blockBytes / sitEntryBytes);

export const inode = layout('f2fs', {
  i_mode: u16,
  i_advise: u8,
  i_inline: u8,
  i_uid: u32,
  i_gid: u32,
  i_links: u32,
  i_size: u64,
  i_blocks: u64,
  i_atime: u64,
  i_ctime: u64,
  i_mtime: u64,
  i_atime_nsec: u32,
  i_ctime_nsec: u32,
  i_mtime_nsec: u32,
  i_generation: u32,
  i_current_depth: u32,
  i_xattr_nid: u32,
  i_flags: u32,
  i_pino: u32,
  i_namelen: u32,
  i_name: raw(255),
  i_dir_level: u8,
  i_ext: raw(12),
});

/** The first of these stands where the addresses begin. */
export const inodeExtra = layout('f2fs', {
  i_extra_isize: u16,
  i_inline_xattr_size: u16, // in words of four bytes
  i_projid: u32,
  i_inode_checksum: u32,
  i_crtime: u64,
  i_crtime_nsec: u32,
  i_compr_blocks: u64,
  i_compress_algorithm: u8,
  i_log_cluster_size: u8,
  i_compress_flag: u16,
});

export const inlineFlags = {
  attributes: 0x01,
  data: 0x02,
  directory: 0x04,
  extra: 0x20,
} as const;

export const adviseFlags = { encrypted: 0x04 } as const;
export const inodeFlags = { compressed: 0x4, casefold: 0x40000000 } as const;

/** Where an inode's addresses begin, how many there is room for, and how many a node of addresses has. */
export const addressesAt = inode.bytes;
export const addressesPerInode = 923;
export const addressesPerNode = 1018;
export const indirectNodes = 5;
export const nodeFooterBytes = 24; // nid u32, ino u32, flag u32, checkpoint version u64, next block u32
export const defaultInlineAttributeWords = 50;

export const directoryEntryBytes = 11; // hash u32, inode u32, name's length u16, type u8
export const nameSlotBytes = 8;
export const entriesPerBlock = 214;

export const attributeMagic = 0xf2f52011;
export const attributeHeaderBytes = 24;

const ieee = crcTables(0xedb88320);

/** CRC-32 as f2fs has it: the magic to begin with, nothing inverted (fs/f2fs/f2fs.h, f2fs_crc32). @param register of what stands before */
export const f2fsCrc = (bytes: Uint8Array, register = superblockMagic): number =>
  crcRegister(ieee, bytes, register);

/** Bits are counted from the highest one of each byte (f2fs_test_bit). */
export const testBit = (bitmap: Uint8Array, bit: number): boolean =>
  (((bitmap[bit >> 3] ?? 0) >> (7 - (bit & 7))) & 1) === 1;
