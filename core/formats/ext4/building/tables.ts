import { blockBytes, blocksPerGroup, descriptorBytes, inodeBytes, type Ext4Geometry } from './geometry.ts';
import {
  groupDescriptor,
  incompat,
  inode as inodeLayout,
  inodeFlags,
  roCompatSparseSuper,
  superblock,
  superblockMagic,
} from '../layouts.ts';
import type { NewFile } from '../../file-system/building.ts';
import type { Ext4Plan } from './plan.ts';
import { inodeArea } from './write-attributes.ts';

const extraBytes = 32;
/** What of an inode is left for attributes. */
export const areaBytes = inodeBytes - 128 - extraBytes;
export const firstNumber = 11;
const compatExtAttr = 0x8;
const roCompatLargeFile = 0x2;
const roCompatExtraIsize = 0x40;
const mountUserXattrAcl = 0xc;

export interface NewInode {
  readonly mode: number;
  readonly file: Pick<NewFile, 'uid' | 'gid' | 'modifiedAt' | 'attributes'>;
  links: number;
  bytes: number;
  /** 60 bytes of i_block. */
  block: Uint8Array;
  /** Blocks that belong to it, those of its tree and attributes included. */
  blocks: number;
  usesExtents: boolean;
  attributeBlock: number;
}

/** What a group has free, and how many of its inodes are directories. */
export interface GroupCounts {
  readonly freeBlocks: number;
  readonly freeInodes: number;
  readonly directories: number;
}

/** Writes an inode into its place in a table. */
export function writeInode(into: Uint8Array, inode: NewInode): void {
  const { file } = inode;
  const time = file.modifiedAt >>> 0;
  inodeLayout.write(into, 0, {
    i_mode: inode.mode,
    i_uid: file.uid & 0xffff,
    i_size_lo: inode.bytes >>> 0,
    i_atime: time,
    i_ctime: time,
    i_mtime: time,
    i_dtime: 0,
    i_gid: file.gid & 0xffff,
    i_links_count: inode.links,
    i_blocks_lo: inode.blocks * (blockBytes / 512),
    i_flags: inode.usesExtents ? inodeFlags.extents : 0,
    i_version: 0,
    i_block: inode.block,
    i_generation: 0,
    i_file_acl_lo: inode.attributeBlock,
    i_size_high: Math.floor(inode.bytes / 2 ** 32),
    i_obso_faddr: 0,
    i_blocks_high: 0,
    i_file_acl_high: 0,
    i_uid_high: file.uid >>> 16,
    i_gid_high: file.gid >>> 16,
    i_checksum_lo: 0,
    i_reserved: 0,
  });
  const view = new DataView(into.buffer, into.byteOffset, into.byteLength);
  view.setUint16(128, extraBytes, true);
  // Of i_ctime_extra, i_mtime_extra and i_atime_extra, the bits beyond 32 of the seconds.
  const epoch = Math.floor(file.modifiedAt / 2 ** 32) & 3;
  for (const at of [132, 136, 140]) view.setUint32(at, epoch, true);
  view.setUint32(144, time, true);
  const area = inode.attributeBlock === 0 && inodeArea(file.attributes, areaBytes);
  if (area) into.set(area, 128 + extraBytes);
}

/** The group descriptors, in whole blocks. */
export function descriptorsOf(geometry: Ext4Geometry, counts: readonly GroupCounts[]): Uint8Array {
  const bytes = new Uint8Array(geometry.descriptorBlocks * blockBytes);
  for (let group = 0; group < geometry.groups; group++) {
    const tables = geometry.tablesStart(group);
    const { freeBlocks, freeInodes, directories } = counts[group]!;
    groupDescriptor.write(bytes, group * descriptorBytes, {
      bg_block_bitmap_lo: tables,
      bg_inode_bitmap_lo: tables + 1,
      bg_inode_table_lo: tables + 2,
      bg_free_blocks_count_lo: freeBlocks,
      bg_free_inodes_count_lo: freeInodes,
      bg_used_dirs_count_lo: directories,
      bg_flags: 0,
      bg_exclude_bitmap_lo: 0,
      bg_block_bitmap_csum_lo: 0,
      bg_inode_bitmap_csum_lo: 0,
      bg_itable_unused_lo: 0,
      bg_checksum: 0,
    });
  }
  return bytes;
}

/** The superblock as it stands in a group that has a copy of it. */
export function superblockOf(
  plan: Ext4Plan,
  geometry: Ext4Geometry,
  counts: readonly GroupCounts[],
  group: number,
): Uint8Array {
  const bytes = new Uint8Array(superblock.bytes);
  // What is not named is zero.
  const rest = superblock.read(bytes);
  const sum = (of: 'freeBlocks' | 'freeInodes') => counts.reduce((total, each) => total + each[of], 0);
  superblock.write(bytes, 0, {
    ...rest,
    s_inodes_count: geometry.groups * geometry.inodesPerGroup,
    s_blocks_count_lo: geometry.blocks,
    s_free_blocks_count_lo: sum('freeBlocks'),
    s_free_inodes_count: sum('freeInodes'),
    s_log_block_size: 2,
    s_log_cluster_size: 2,
    s_blocks_per_group: blocksPerGroup,
    s_clusters_per_group: blocksPerGroup,
    s_inodes_per_group: geometry.inodesPerGroup,
    s_wtime: plan.madeAt,
    s_max_mnt_count: 0xffff,
    s_magic: superblockMagic,
    s_state: 1,
    s_errors: 1,
    s_lastcheck: plan.madeAt,
    s_rev_level: 1,
    s_first_ino: firstNumber,
    s_inode_size: inodeBytes,
    s_block_group_nr: group,
    s_feature_compat: compatExtAttr,
    s_feature_incompat: incompat.filetype | incompat.extents,
    s_feature_ro_compat: roCompatSparseSuper | roCompatLargeFile | roCompatExtraIsize,
    s_uuid: plan.uuid,
    s_volume_name: plan.volume,
    s_last_mounted: plan.lastMounted,
    s_def_hash_version: 1,
    s_default_mount_opts: mountUserXattrAcl,
    s_mkfs_time: plan.madeAt,
    s_min_extra_isize: extraBytes,
    s_want_extra_isize: extraBytes,
  });
  return bytes;
}
