import { crc32cRegister } from '../../bytes/crc32.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { u32 } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { hex } from '../../bytes/text.ts';
import {
  incompat,
  readableIncompat,
  roCompatBigalloc,
  roCompatGdtCsum,
  roCompatMetadataCsum,
  roCompatSparseSuper,
  superblock,
  superblockMagic,
  superblockOffset,
} from './layouts.ts';

export interface Superblock {
  readonly blockBytes: number;
  readonly blocks: number;
  readonly freeBlocks: number;
  readonly inodes: number;
  readonly freeInodes: number;
  readonly firstDataBlock: number;
  readonly blocksPerGroup: number;
  readonly inodesPerGroup: number;
  readonly groups: number;
  readonly inodeBytes: number;
  readonly descriptorBytes: number;
  /** First block group that uses the meta_bg layout; `groups` or more when none does. */
  readonly firstMetaGroup: number;
  readonly metaGroups: boolean;
  readonly directoryTypes: boolean;
  /** The journal holds changes that are not yet in place. */
  readonly needsRecovery: boolean;
  /** Blocks that are kept free behind the group descriptors, for growing. */
  readonly reservedDescriptorBlocks: number;
  /** Groups may be without a bitmap of their own. */
  readonly uninitialisedGroups: boolean;
  /** Bits of the bitmaps stand for clusters of blocks. */
  readonly clusters: boolean;
  /** Blocks in a cluster; 1 where bits stand for blocks. */
  readonly clusterBlocks: number;
  /** Only some groups have copies of the superblock. */
  readonly sparseSuper: boolean;
  /** The group whose copy was read; 0 for the first superblock. */
  readonly copyGroup: number;
  /** What checksums of its structures begin from; undefined where they have none. */
  readonly checksumSeed: number | undefined;
  /** Inode of the journal; 0 for none. */
  readonly journalInode: number;
  readonly uuid: string;
  readonly volumeName: string;
  readonly lastMountedOn: string;
  /** Seconds since 1970. */
  readonly lastMountedAt: number;
  readonly mountCount: number;
  readonly incompatFeatures: readonly string[];
  readonly findings: readonly string[];
}

const bad = (field: Parameters<typeof superblock.offsetOf>[0], reason: string) =>
  new FormatError('ext4', field, superblockOffset + superblock.offsetOf(field), reason);

/** Whether the bytes at the usual place carry ext4's magic number; `head` starts at byte 0. */
export function looksLikeExt4(head: Uint8Array): boolean {
  const at = superblockOffset + superblock.offsetOf('s_magic');
  return head.length >= at + 2 && (head[at]! | (head[at + 1]! << 8)) === superblockMagic;
}

/**
 * Reads and checks the superblock.
 * @param wholeBytes size of the file system's container; left out when only the first blocks are at
 *   hand, then the size is not checked against it
 * @param byCopies whether a copy is read where the first one is damaged: no phone mounts it by that
 * @throws FormatError on anything that would make further reading meaningless
 */
export async function readSuperblock(
  source: ByteSource,
  wholeBytes: number | undefined = source.bytes,
  byCopies = false,
): Promise<Superblock> {
  const bytes = await readWithin(source, superblockOffset, superblock.bytes, 'ext4', 's_magic');
  try {
    return parseSuperblock(bytes, wholeBytes);
  } catch (error) {
    if (!(error instanceof FormatError) || !byCopies) throw error;
    const copy = await readCopy(source, wholeBytes);
    if (!copy) throw error;
    const finding = `The first superblock is damaged (${error.message}); the copy in group ${copy.copyGroup} was read.`;
    return { ...copy, findings: [finding, ...copy.findings] };
  }
}

/** Block sizes in the order in which phones have them. */
const usualBlockBytes = [4096, 1024, 2048, 16_384, 65_536];
/** Groups that have copies, in every layout that leaves some out. */
const copiedGroups = [1, 3, 5, 7, 9];

/** A copy of the superblock behind the first group, by where they stand in file systems of each block size. */
async function readCopy(source: ByteSource, wholeBytes: number | undefined): Promise<Superblock | undefined> {
  for (const blockBytes of usualBlockBytes) {
    for (const group of copiedGroups) {
      const block = group * blockBytes * 8 + (blockBytes === 1024 ? 1 : 0);
      const offset = block * blockBytes;
      if (offset + superblock.bytes > source.bytes) break;
      const bytes = await source.read(offset, superblock.bytes);
      const s = superblock.read(bytes);
      if (s.s_magic !== superblockMagic || s.s_block_group_nr !== group) continue;
      if (1024 << s.s_log_block_size !== blockBytes) continue;
      try {
        return { ...parseSuperblock(bytes, wholeBytes), copyGroup: group };
      } catch (error) {
        if (!(error instanceof FormatError)) throw error;
      }
    }
  }
  return undefined;
}

/** As `readSuperblock`, from the superblock's own 1024 bytes. */
export function parseSuperblock(bytes: Uint8Array, wholeBytes: number | undefined): Superblock {
  const s = superblock.read(bytes, 0, superblockOffset);
  if (s.s_magic !== superblockMagic) {
    throw bad('s_magic', `0x${s.s_magic.toString(16)} instead of 0xef53`);
  }
  if (s.s_log_block_size > 6) throw bad('s_log_block_size', `2^${s.s_log_block_size} KiB blocks`);
  const blockBytes = 1024 << s.s_log_block_size;
  const unknown = s.s_feature_incompat & ~readableIncompat;
  if (unknown) {
    throw bad('s_feature_incompat', `features 0x${(unknown >>> 0).toString(16)} cannot be read`);
  }
  const wide = (s.s_feature_incompat & incompat['64bit']) !== 0;
  const blocks = s.s_blocks_count_lo + (wide ? s.s_blocks_count_hi * 2 ** 32 : 0);
  if (blocks === 0) throw bad('s_blocks_count_lo', 'no blocks');
  if (wholeBytes !== undefined && blocks * blockBytes > wholeBytes) {
    throw bad(
      's_blocks_count_lo',
      `the file system has ${blocks * blockBytes} bytes; only ${wholeBytes} are here`,
    );
  }
  const hasClusters = (s.s_feature_ro_compat & roCompatBigalloc) !== 0;
  if (s.s_first_data_block !== (blockBytes === 1024 && !hasClusters ? 1 : 0)) {
    throw bad('s_first_data_block', `${s.s_first_data_block} with blocks of ${blockBytes}`);
  }
  const clusterBits = hasClusters ? s.s_log_cluster_size - s.s_log_block_size : 0;
  if (clusterBits < 0 || clusterBits > 16) throw bad('s_log_cluster_size', `${s.s_log_cluster_size}`);
  const clusterBlocks = 2 ** clusterBits;
  if (s.s_blocks_per_group === 0 || s.s_blocks_per_group > blockBytes * 8 * clusterBlocks) {
    throw bad('s_blocks_per_group', `${s.s_blocks_per_group} with blocks of ${blockBytes}`);
  }
  if (s.s_inodes_per_group === 0 || s.s_inodes_per_group > blockBytes * 8) {
    throw bad('s_inodes_per_group', `${s.s_inodes_per_group}`);
  }
  const inodeBytes = s.s_rev_level === 0 ? 128 : s.s_inode_size;
  if (inodeBytes < 128 || inodeBytes > blockBytes || (inodeBytes & (inodeBytes - 1)) !== 0) {
    throw bad('s_inode_size', `${inodeBytes}`);
  }
  const descriptorBytes = wide ? s.s_desc_size : 32;
  if (
    wide &&
    (descriptorBytes < 64 || descriptorBytes > 1024 || (descriptorBytes & (descriptorBytes - 1)) !== 0)
  ) {
    throw bad('s_desc_size', `${descriptorBytes}`);
  }
  const groups = Math.ceil((blocks - s.s_first_data_block) / s.s_blocks_per_group);
  if (groups * s.s_inodes_per_group !== s.s_inodes_count) {
    throw bad('s_inodes_count', `${s.s_inodes_count} in ${groups} groups of ${s.s_inodes_per_group}`);
  }
  const freeBlocks = s.s_free_blocks_count_lo + (wide ? s.s_free_blocks_count_hi * 2 ** 32 : 0);
  if (freeBlocks > blocks) throw bad('s_free_blocks_count_lo', `${freeBlocks} of ${blocks}`);
  return {
    blockBytes,
    blocks,
    freeBlocks,
    inodes: s.s_inodes_count,
    freeInodes: s.s_free_inodes_count,
    firstDataBlock: s.s_first_data_block,
    blocksPerGroup: s.s_blocks_per_group,
    inodesPerGroup: s.s_inodes_per_group,
    groups,
    inodeBytes,
    descriptorBytes,
    firstMetaGroup: s.s_first_meta_bg,
    metaGroups: (s.s_feature_incompat & incompat.meta_bg) !== 0,
    directoryTypes: (s.s_feature_incompat & incompat.filetype) !== 0,
    reservedDescriptorBlocks: s.s_reserved_gdt_blocks,
    uninitialisedGroups: (s.s_feature_ro_compat & (roCompatGdtCsum | roCompatMetadataCsum)) !== 0,
    clusters: hasClusters,
    clusterBlocks,
    sparseSuper: (s.s_feature_ro_compat & roCompatSparseSuper) !== 0,
    copyGroup: 0,
    checksumSeed: !(s.s_feature_ro_compat & roCompatMetadataCsum)
      ? undefined
      : s.s_feature_incompat & incompat.csum_seed
        ? s.s_checksum_seed
        : crc32cRegister(s.s_uuid),
    journalInode: s.s_journal_inum,
    needsRecovery: (s.s_feature_incompat & incompat.recover) !== 0,
    uuid: hex(s.s_uuid).replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5'),
    volumeName: s.s_volume_name,
    lastMountedOn: s.s_last_mounted,
    lastMountedAt: s.s_mtime,
    mountCount: s.s_mnt_count,
    incompatFeatures: Object.entries(incompat)
      .filter(([, flag]) => s.s_feature_incompat & flag)
      .map(([name]) => name),
    findings: checksumFindings(bytes, s.s_feature_ro_compat, s.s_checksum),
  };
}

function checksumFindings(bytes: Uint8Array, roCompat: number, stored: number): string[] {
  if (!(roCompat & roCompatMetadataCsum)) return [];
  return superblockChecksum(bytes) === stored
    ? []
    : ['The superblock does not match its own checksum (s_checksum).'];
}

const superblockChecksum = (bytes: Uint8Array) =>
  crc32cRegister(bytes.subarray(0, superblock.offsetOf('s_checksum')));

/** The superblock as a mount leaves it: time and count of mounting, and its checksum where it has one. */
export function withMount(bytes: Uint8Array, mountedAtSeconds: number): Uint8Array {
  const s = superblock.read(bytes);
  const out = new Uint8Array(bytes);
  superblock.write(out, 0, {
    ...s,
    s_mtime: mountedAtSeconds,
    s_wtime: mountedAtSeconds,
    s_mnt_count: (s.s_mnt_count + 1) & 0xffff,
  });
  if (s.s_feature_ro_compat & roCompatMetadataCsum) {
    u32.write(new DataView(out.buffer), superblock.offsetOf('s_checksum'), superblockChecksum(out));
  }
  return out;
}
