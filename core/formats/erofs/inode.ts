import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger } from '../../bytes/layout.ts';
import { fileTypes, type FileNode } from '../file-system/reading.ts';
import { attributeHeaderBytes, compactInode, dataLayouts, extendedInode } from './layouts.ts';

export type DataLayout = (typeof dataLayouts)[number];

export interface ErofsInode extends FileNode {
  readonly layout: DataLayout;
  /** First block, number of packed blocks, or how chunks lie: as the layout has it. */
  readonly place: number;
  /** Bytes of attributes behind the inode. */
  readonly attributeBytes: number;
  /** Where the attributes begin, in bytes of the image. */
  readonly attributesAt: number;
  /** What stands behind inode and attributes: the end of the contents, or their index. */
  readonly restAt: number;
}

/** Of the larger form. */
export const mostInodeBytes = extendedInode.bytes;

/** @param record as many bytes from `offset` on as the larger form has, or as there are left @param builtAt time of what has none of its own, in seconds */
export function parseInode(record: Uint8Array, number: number, offset: number, builtAt: number): ErofsInode {
  const bad = (field: string, reason: string) =>
    new FormatError('erofs', field, offset, `inode ${number}: ${reason}`);
  const form = compactInode.read(record, 0, offset).i_format;
  const isExtended = (form & 1) !== 0;
  const i = isExtended
    ? extendedInode.read(record, 0, offset)
    : { ...compactInode.read(record, 0, offset), i_mtime: undefined };
  const layout = dataLayouts[(form >> 1) & 7];
  if (!layout || form >> 4 !== 0) throw bad('i_format', `0x${form.toString(16)}`);
  const type = fileTypes[i.i_mode >> 12];
  if (!type) throw bad('i_mode', `mode 0${i.i_mode.toString(8)}`);
  const inodeBytes = isExtended ? extendedInode.bytes : compactInode.bytes;
  const attributeBytes = i.i_xattr_icount === 0 ? 0 : attributeHeaderBytes + (i.i_xattr_icount - 1) * 4;
  return {
    number,
    type,
    permissions: i.i_mode & 0xfff,
    uid: i.i_uid,
    gid: i.i_gid,
    bytes: safeInteger(BigInt(i.i_size), 'erofs', 'i_size', offset + 8),
    links: i.i_nlink,
    modifiedAt: i.i_mtime === undefined ? builtAt : Number(BigInt.asIntN(64, i.i_mtime)),
    encrypted: false,
    offset,
    layout,
    place: i.i_u,
    attributeBytes,
    attributesAt: offset + inodeBytes,
    restAt: offset + inodeBytes + attributeBytes,
  };
}
