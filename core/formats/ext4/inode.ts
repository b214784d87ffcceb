import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger } from '../../bytes/layout.ts';
import { fileTypes, type FileNode } from '../file-system/reading.ts';
import { inode as inodeLayout, inodeFlags } from './layouts.ts';

export interface Inode extends FileNode {
  readonly generation: number;
  /** A directory whose first block is the root of an index. */
  readonly indexed: boolean;
  readonly usesExtents: boolean;
  readonly inlineData: boolean;
  /** The 60 bytes of i_block: extent tree root, block pointers, short link target or inline data. */
  readonly block: Uint8Array;
  readonly attributeBlock: number;
  /** Attributes stored behind the inode's own fields. */
  readonly attributeArea: Uint8Array;
}

/** @param record the inode's `inodeBytes` bytes, standing at `offset` */
export function parseInode(record: Uint8Array, number: number, offset: number): Inode {
  const i = inodeLayout.read(record, 0, offset);
  const type = fileTypes[i.i_mode >> 12];
  if (!type) {
    throw new FormatError('ext4', 'i_mode', offset, `inode ${number} has mode 0${i.i_mode.toString(8)}`);
  }
  const view = new DataView(record.buffer, record.byteOffset, record.byteLength);
  const extraBytes = record.length > 128 ? view.getUint16(128, true) : 0;
  if (128 + extraBytes > record.length || extraBytes % 4 !== 0) {
    throw new FormatError('ext4', 'i_extra_isize', offset + 128, `${extraBytes}`);
  }
  // i_mtime_extra at 136: the lower two bits extend the seconds (kernel docs, "Inode timestamps").
  const epoch = extraBytes >= 12 ? view.getUint32(136, true) & 3 : 0;
  return {
    number,
    type,
    permissions: i.i_mode & 0xfff,
    uid: i.i_uid + i.i_uid_high * 65536,
    gid: i.i_gid + i.i_gid_high * 65536,
    bytes: safeInteger(
      BigInt(i.i_size_lo) + (BigInt(i.i_size_high) << 32n),
      'ext4',
      'i_size_high',
      offset + inodeLayout.offsetOf('i_size_high'),
    ),
    links: i.i_links_count,
    modifiedAt: (i.i_mtime | 0) + epoch * 2 ** 32,
    generation: i.i_generation,
    indexed: (i.i_flags & inodeFlags.indexed) !== 0,
    usesExtents: (i.i_flags & inodeFlags.extents) !== 0,
    inlineData: (i.i_flags & inodeFlags.inlineData) !== 0,
    encrypted: (i.i_flags & inodeFlags.encrypted) !== 0,
    block: i.i_block,
    attributeBlock: i.i_file_acl_lo + i.i_file_acl_high * 2 ** 32,
    attributeArea: extraBytes ? record.subarray(128 + extraBytes) : new Uint8Array(),
    offset,
  };
}
