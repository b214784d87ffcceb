import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger, viewOf } from '../../bytes/layout.ts';
import { fileTypes, type FileNode } from '../file-system/reading.ts';
import {
  addressesAt,
  addressesPerInode,
  adviseFlags,
  defaultInlineAttributeWords,
  indirectNodes,
  inlineFlags,
  inode,
  inodeExtra,
  inodeFlags,
} from './layouts.ts';
import type { F2fsSuperblock } from './superblock.ts';

const format = 'f2fs';

/** How the clusters of a compressed file are packed. */
export interface Compression {
  readonly algorithm: 'lzo' | 'lz4' | 'zstd' | 'lzo-rle';
  /** Blocks in a cluster. */
  readonly clusterBlocks: number;
}

const algorithms = ['lzo', 'lz4', 'zstd', 'lzo-rle'] as const;
const largestClusterBits = 8;
const smallestClusterBits = 2;

export interface F2fsInode extends FileNode {
  /** Its content stands in the inode. */
  readonly inlineData: boolean;
  readonly inlineDirectory: boolean;
  readonly compression: Compression | undefined;
  /** Addresses of the first blocks. */
  readonly addresses: readonly number[];
  /** Nodes of addresses: two direct, two indirect, one twice indirect. */
  readonly nodes: readonly number[];
  /** Content, or entries of a directory, that stand in the inode itself. */
  readonly inlineContent: Uint8Array;
  readonly inlineAttributes: Uint8Array;
  readonly attributeNode: number;
}

/** @param node the block of the inode, standing at `offset` */
export function parseInode(node: Uint8Array, number: number, offset: number, sb: F2fsSuperblock): F2fsInode {
  const i = inode.read(node, 0, offset);
  const bad = (field: string, reason: string) =>
    new FormatError(format, field, offset, `inode ${number}: ${reason}`);
  const type = fileTypes[i.i_mode >> 12];
  if (!type) throw bad('i_mode', `mode 0${i.i_mode.toString(8)}`);
  const has = (flag: number) => (i.i_inline & flag) !== 0;
  const extra = has(inlineFlags.extra) ? inodeExtra.read(node, addressesAt, offset) : undefined;
  const extraBytes = extra?.i_extra_isize ?? 0;
  if (extraBytes % 4 !== 0 || extraBytes > addressesPerInode * 4 || (extra && extraBytes < 4))
    throw bad('i_extra_isize', `${extraBytes}`);
  const first = addressesAt + extraBytes;
  const words = addressesPerInode - extraBytes / 4;
  const attributeWords =
    extra && sb.hasFlexibleInlineAttributes
      ? extra.i_inline_xattr_size
      : has(inlineFlags.attributes) || has(inlineFlags.directory)
        ? defaultInlineAttributeWords
        : 0;
  if (attributeWords > words - 1) throw bad('i_inline_xattr_size', `${attributeWords}`);
  const compression =
    type === 'file' && i.i_flags & inodeFlags.compressed ? compressionOf(extra, extraBytes, bad) : undefined;
  const room = words - attributeWords;
  const used = compression ? room - (room % compression.clusterBlocks) : room;
  const end = first + room * 4;
  const view = viewOf(node);
  const isInline = has(inlineFlags.data) || has(inlineFlags.directory);
  return {
    number,
    type,
    permissions: i.i_mode & 0xfff,
    uid: i.i_uid,
    gid: i.i_gid,
    bytes: safeInteger(i.i_size, format, 'i_size', offset + inode.offsetOf('i_size')),
    links: i.i_links,
    modifiedAt: Number(BigInt.asIntN(64, i.i_mtime)),
    encrypted: (i.i_advise & adviseFlags.encrypted) !== 0,
    offset,
    inlineData: has(inlineFlags.data),
    inlineDirectory: type === 'directory' && has(inlineFlags.directory),
    compression,
    addresses: isInline ? [] : Array.from({ length: used }, (_, at) => view.getUint32(first + at * 4, true)),
    nodes: Array.from({ length: indirectNodes }, (_, at) =>
      view.getUint32(addressesAt + (addressesPerInode + at) * 4, true),
    ),
    inlineContent: isInline ? node.slice(first + 4, end) : new Uint8Array(),
    inlineAttributes: node.slice(end, end + attributeWords * 4),
    attributeNode: i.i_xattr_nid,
  };
}

function compressionOf(
  extra: ReturnType<typeof inodeExtra.read> | undefined,
  extraBytes: number,
  bad: (field: string, reason: string) => FormatError,
): Compression {
  if (!extra || extraBytes < inodeExtra.bytes) throw bad('i_extra_isize', 'compressed, without saying how');
  const algorithm = algorithms[extra.i_compress_algorithm];
  if (!algorithm) throw bad('i_compress_algorithm', `${extra.i_compress_algorithm}`);
  const bits = extra.i_log_cluster_size;
  if (bits < smallestClusterBits || bits > largestClusterBits) throw bad('i_log_cluster_size', `${bits}`);
  return { algorithm, clusterBlocks: 2 ** bits };
}
