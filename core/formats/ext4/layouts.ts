import { attributePrefixes as linuxPrefixes } from '../file-system/attribute-names.ts';
import { ascii, layout, raw, u16, u32, u8, words } from '../../bytes/layout.ts';

/** Where the superblock stands, whatever the block size (kernel, Documentation/filesystems/ext4). */
export const superblockOffset = 1024;
export const superblockMagic = 0xef53;

/** struct ext4_super_block, up to and including s_checksum. */
export const superblock = layout('ext4', {
  s_inodes_count: u32,
  s_blocks_count_lo: u32,
  s_r_blocks_count_lo: u32,
  s_free_blocks_count_lo: u32,
  s_free_inodes_count: u32,
  s_first_data_block: u32,
  s_log_block_size: u32,
  s_log_cluster_size: u32,
  s_blocks_per_group: u32,
  s_clusters_per_group: u32,
  s_inodes_per_group: u32,
  s_mtime: u32,
  s_wtime: u32,
  s_mnt_count: u16,
  s_max_mnt_count: u16,
  s_magic: u16,
  s_state: u16,
  s_errors: u16,
  s_minor_rev_level: u16,
  s_lastcheck: u32,
  s_checkinterval: u32,
  s_creator_os: u32,
  s_rev_level: u32,
  s_def_resuid: u16,
  s_def_resgid: u16,
  s_first_ino: u32,
  s_inode_size: u16,
  s_block_group_nr: u16,
  s_feature_compat: u32,
  s_feature_incompat: u32,
  s_feature_ro_compat: u32,
  s_uuid: raw(16),
  s_volume_name: ascii(16),
  s_last_mounted: ascii(64),
  s_algorithm_usage_bitmap: u32,
  s_prealloc_blocks: u8,
  s_prealloc_dir_blocks: u8,
  s_reserved_gdt_blocks: u16,
  s_journal_uuid: raw(16),
  s_journal_inum: u32,
  s_journal_dev: u32,
  s_last_orphan: u32,
  s_hash_seed: words(4),
  s_def_hash_version: u8,
  s_jnl_backup_type: u8,
  s_desc_size: u16,
  s_default_mount_opts: u32,
  s_first_meta_bg: u32,
  s_mkfs_time: u32,
  s_jnl_blocks: words(17),
  s_blocks_count_hi: u32,
  s_r_blocks_count_hi: u32,
  s_free_blocks_count_hi: u32,
  s_min_extra_isize: u16,
  s_want_extra_isize: u16,
  s_flags: u32,
  s_raid_stride: u16,
  s_mmp_interval: u16,
  s_mmp_block: raw(8),
  s_raid_stripe_width: u32,
  s_log_groups_per_flex: u8,
  s_checksum_type: u8,
  s_rest: raw(249),
  s_checksum_seed: u32,
  s_rest2: raw(393),
  s_checksum: u32, // CRC-32C of everything before it
});

/** Feature flags that change how the disk must be read. */
export const incompat = {
  compression: 0x1,
  filetype: 0x2,
  recover: 0x4,
  journal_dev: 0x8,
  meta_bg: 0x10,
  extents: 0x40,
  '64bit': 0x80,
  mmp: 0x100,
  flex_bg: 0x200,
  ea_inode: 0x400,
  dirdata: 0x1000,
  csum_seed: 0x2000,
  largedir: 0x4000,
  inline_data: 0x8000,
  encrypt: 0x10000,
  casefold: 0x20000,
} as const;

export const roCompatSparseSuper = 0x1;
export const roCompatGdtCsum = 0x10;
export const roCompatBigalloc = 0x200;
export const roCompatMetadataCsum = 0x400;

/** Flag of a block group whose bitmap was never written: only its own tables are in use. */
export const groupBlockUninit = 0x2;

/** Features this reader understands or may safely pass over when only reading. */
export const readableIncompat =
  incompat.filetype |
  incompat.recover |
  incompat.meta_bg |
  incompat.extents |
  incompat['64bit'] |
  incompat.mmp |
  incompat.flex_bg |
  incompat.ea_inode |
  incompat.csum_seed |
  incompat.largedir |
  incompat.inline_data |
  incompat.encrypt |
  incompat.casefold;

/** struct ext4_group_desc, the 32 bytes that every descriptor has. */
export const groupDescriptor = layout('ext4', {
  bg_block_bitmap_lo: u32,
  bg_inode_bitmap_lo: u32,
  bg_inode_table_lo: u32,
  bg_free_blocks_count_lo: u16,
  bg_free_inodes_count_lo: u16,
  bg_used_dirs_count_lo: u16,
  bg_flags: u16,
  bg_exclude_bitmap_lo: u32,
  bg_block_bitmap_csum_lo: u16,
  bg_inode_bitmap_csum_lo: u16,
  bg_itable_unused_lo: u16,
  bg_checksum: u16,
});

/** The upper half, present when the 64bit feature makes descriptors 64 bytes or more. */
export const groupDescriptorHigh = layout('ext4', {
  bg_block_bitmap_hi: u32,
  bg_inode_bitmap_hi: u32,
  bg_inode_table_hi: u32,
  bg_free_blocks_count_hi: u16,
});

/** struct ext4_inode, the 128 bytes that every inode has. */
export const inode = layout('ext4', {
  i_mode: u16,
  i_uid: u16,
  i_size_lo: u32,
  i_atime: u32,
  i_ctime: u32,
  i_mtime: u32,
  i_dtime: u32,
  i_gid: u16,
  i_links_count: u16,
  i_blocks_lo: u32,
  i_flags: u32,
  i_version: u32,
  i_block: raw(60),
  i_generation: u32,
  i_file_acl_lo: u32,
  i_size_high: u32,
  i_obso_faddr: u32,
  i_blocks_high: u16,
  i_file_acl_high: u16,
  i_uid_high: u16,
  i_gid_high: u16,
  i_checksum_lo: u16,
  i_reserved: u16,
});

export const inodeFlags = {
  encrypted: 0x800,
  indexed: 0x1000,
  extents: 0x80000,
  inlineData: 0x10000000,
} as const;

/** struct ext4_extent_header. */
export const extentHeader = layout('ext4', {
  eh_magic: u16, // 0xf30a
  eh_entries: u16,
  eh_max: u16,
  eh_depth: u16,
  eh_generation: u32,
});
export const extentMagic = 0xf30a;

/** struct ext4_extent. Lengths above 32768 mean allocated but unwritten. */
export const extent = layout('ext4', {
  ee_block: u32,
  ee_len: u16,
  ee_start_hi: u16,
  ee_start_lo: u32,
});

/** struct ext4_extent_idx. */
export const extentIndex = layout('ext4', {
  ei_block: u32,
  ei_leaf_lo: u32,
  ei_leaf_hi: u16,
  ei_unused: u16,
});

/** struct ext4_xattr_entry, before its name. */
export const attributeEntry = layout('ext4', {
  e_name_len: u8,
  e_name_index: u8,
  e_value_offs: u16,
  e_value_inum: u32,
  e_value_size: u32,
  e_hash: u32,
});
export const attributeMagic = 0xea020000;

/** Name prefixes by e_name_index. */
export const attributePrefixes: Readonly<Record<number, string>> = { 0: '', ...linuxPrefixes };
