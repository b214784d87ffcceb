import { FormatError } from '../../bytes/format-error.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import type { Packing } from '../../bytes/unpacking/unpacking.ts';
import type { ErofsInode } from './inode.ts';
import { viewOf } from '../../bytes/layout.ts';
import { advise, blockCountFlag, clusterTypes, mapHeader, wholeFragmentBit } from './layouts.ts';
import type { ErofsSuperblock } from './superblock.ts';

/** Bytes of a packed file that were packed together. */
export interface PackedExtent {
  /** Where they begin in the file. */
  readonly at: number;
  readonly bytes: number;
  readonly stored:
    | { readonly kind: 'packed'; readonly packing: Packing; readonly offset: number; readonly bytes: number }
    /** As they are; turned where their end stands first (advise, interlaced). */
    | { readonly kind: 'plain'; readonly offset: number; readonly bytes: number; readonly turned: boolean }
    /** In the file that ends of files are in. */
    | { readonly kind: 'fragment'; readonly offset: number };
}

const algorithms: readonly Packing[] = ['lz4', 'microlzma', 'deflate', 'zstd'];
const largestClusterBits = 14;
/** The most that is packed together (Linux, fs/erofs/erofs_fs.h, Z_EROFS_PCLUSTER_MAX_DSIZE). */
const largestExtent = 12 << 20;
/** More logical clusters than a file of any phone has. */
const mostClusters = 1 << 24;

/** What the index says of one logical cluster. */
interface Cluster {
  readonly type: (typeof clusterTypes)[number];
  /** Where in it the extent begins, of a head. */
  readonly offset: number;
  /** First block of the packed bytes, of a head. */
  readonly block: number;
  /** How many blocks the packed bytes take, where it says so. */
  readonly blocks: number | undefined;
}

type Bad = (field: string, reason: string) => FormatError;

/**
 * How a packed file lies: extents one behind the other, all of the file.
 * @throws FormatError where its index says what cannot be
 */
export async function packedExtents(
  source: ByteSource,
  sb: ErofsSuperblock,
  file: ErofsInode,
): Promise<PackedExtent[]> {
  const bad: Bad = (field, reason) =>
    new FormatError('erofs', field, file.offset, `inode ${file.number}: ${reason}`);
  const headerAt = Math.ceil(file.restAt / 8) * 8;
  const bytes = await readWithin(source, headerAt, mapHeader.bytes, 'erofs', 'map header');
  const header = mapHeader.read(bytes, 0, headerAt);
  if (header.h_clusterbits & wholeFragmentBit) {
    const offset = viewOf(bytes).getBigUint64(0, true) & ~(1n << 63n);
    return [{ at: 0, bytes: file.bytes, stored: { kind: 'fragment', offset: Number(offset) } }];
  }
  const clusterBits = sb.blockBits + (header.h_clusterbits & 7);
  if (clusterBits > largestClusterBits) throw bad('h_clusterbits', `clusters of 2^${clusterBits} bytes`);
  const count = Math.ceil(file.bytes / 2 ** clusterBits);
  if (count > mostClusters) throw bad('i_size', `${file.bytes} bytes`);
  const isFull = file.layout === 'packed, full index';
  const index = isFull
    ? await fullIndex(source, headerAt, count, clusterBits, bad)
    : await compactIndex(source, headerAt, count, clusterBits, header.h_advise, bad);
  const { clusters } = index;

  const heads = clusters.flatMap((cluster, i) => (cluster.type === 'nonhead' ? [] : [i]));
  if (count > 0 && (heads[0] !== 0 || clusters[0]!.offset !== 0))
    throw bad('di_clusterofs', 'nothing says where the file begins');
  const packingOf = (type: 'head1' | 'head2'): Packing => {
    const number = type === 'head1' ? header.h_algorithmtype & 15 : header.h_algorithmtype >> 4;
    const packing = algorithms[number];
    if (!packing) throw bad('h_algorithmtype', `${number}`);
    return packing;
  };
  const has = (flag: number) => (header.h_advise & flag) !== 0;
  return heads.flatMap((head, i): PackedExtent[] => {
    const { type, offset: within, block } = clusters[head]!;
    const at = head * 2 ** clusterBits + within;
    const next = heads[i + 1];
    const end = next === undefined ? file.bytes : next * 2 ** clusterBits + clusters[next]!.offset;
    if (at >= file.bytes && next === undefined && i > 0) return [];
    if (end <= at || end > file.bytes) throw bad('di_clusterofs', `an extent from ${at} to ${end}`);
    const isLast = next === undefined || end === file.bytes;
    if (isLast && has(advise.fragment)) {
      const low = viewOf(bytes).getUint32(0, true);
      const high = isFull ? block * 2 ** 32 : 0;
      return [{ at, bytes: end - at, stored: { kind: 'fragment', offset: high + low } }];
    }
    const isBig = type === 'head1' ? has(advise.bigCluster1) : has(advise.bigCluster2);
    const said = clusters[head + 1];
    const blocks = isBig && said?.type === 'nonhead' ? said.blocks : undefined;
    if (isBig && said?.type === 'nonhead' && blocks === undefined)
      throw bad('di_u', `nothing says how many blocks the extent at ${at} takes`);
    const isInline = isLast && has(advise.inlineTail);
    const [offset, stored] = isInline
      ? [index.end, header.h_idata_size]
      : [block * sb.blockBytes, (blocks ?? 1) * sb.blockBytes];
    if (offset + stored > source.bytes || stored === 0)
      throw bad('di_u', `${stored} bytes at ${offset} lie outside`);
    if (type === 'plain') {
      if (end - at > stored) throw bad('di_u', `${end - at} bytes, unpacked, in ${stored}`);
      const turned = has(advise.interlaced);
      return [{ at, bytes: end - at, stored: { kind: 'plain', offset, bytes: stored, turned } }];
    }
    if (end - at > largestExtent) throw bad('di_clusterofs', `${end - at} bytes packed together`);
    const packing = packingOf(type as 'head1' | 'head2');
    return [{ at, bytes: end - at, stored: { kind: 'packed', packing, offset, bytes: stored } }];
  });
}

interface Index {
  readonly clusters: readonly Cluster[];
  /** Where the index ends, in bytes of the image. */
  readonly end: number;
}

const fullEntryBytes = 8;

/** An entry of eight bytes for each cluster (fs/erofs/zmap.c, z_erofs_load_full_lcluster). */
async function fullIndex(
  source: ByteSource,
  headerAt: number,
  count: number,
  clusterBits: number,
  bad: Bad,
): Promise<Index> {
  const start = headerAt + mapHeader.bytes + 8;
  const bytes = await readWithin(source, start, count * fullEntryBytes, 'erofs', 'index');
  const view = viewOf(bytes);
  const clusters = Array.from({ length: count }, (_, i): Cluster => {
    const at = i * fullEntryBytes;
    const type = clusterTypes[view.getUint16(at, true) & 3]!;
    const offset = view.getUint16(at + 2, true);
    if (type === 'nonhead') {
      const distance = view.getUint16(at + 4, true);
      const blocks = distance & blockCountFlag ? distance & ~blockCountFlag : undefined;
      return { type, offset: 0, block: 0, blocks };
    }
    if (offset >= 2 ** clusterBits) throw bad('di_clusterofs', `${offset} in cluster ${i}`);
    return { type, offset, block: view.getUint32(at + 4, true), blocks: undefined };
  });
  return { clusters, end: start + bytes.length };
}

/**
 * Entries in packs: two in eight bytes, or sixteen in thirty-two, and at the end of each the block that the first of them
 * begins at (fs/erofs/zmap.c, z_erofs_load_compact_lcluster).
 */
async function compactIndex(
  source: ByteSource,
  headerAt: number,
  count: number,
  clusterBits: number,
  flags: number,
  bad: Bad,
): Promise<Index> {
  const start = headerAt + mapHeader.bytes;
  // Sixteen of them begin at a multiple of thirty-two bytes.
  const before = Math.min(count, ((32 - (start % 32)) / 4) & 7);
  const dense = flags & advise.compacted2b ? Math.floor((count - before) / 16) * 16 : 0;
  const isBig = (flags & (advise.bigCluster1 | advise.bigCluster2)) !== 0;
  const clusters: Cluster[] = [];
  let at = start;
  const take = async (entries: number, perPack: 2 | 16) => {
    const packBytes = perPack === 2 ? 8 : 32;
    const packs = Math.ceil(entries / perPack);
    const bytes = await readWithin(source, at, packs * packBytes, 'erofs', 'index');
    for (let pack = 0; pack < packs; pack++) {
      const part = bytes.subarray(pack * packBytes, (pack + 1) * packBytes);
      clusters.push(...unpackIndex(part, perPack, clusterBits, isBig, bad));
    }
    clusters.length = Math.min(clusters.length, count);
    at += packs * packBytes;
  };
  await take(before, 2);
  await take(dense, 16);
  await take(count - before - dense, 2);
  return { clusters, end: at };
}

function unpackIndex(
  pack: Uint8Array,
  entries: 2 | 16,
  clusterBits: number,
  isBig: boolean,
  bad: Bad,
): Cluster[] {
  if (entries === 16 && clusterBits > 12)
    throw bad('h_clusterbits', `2^${clusterBits} in packs of two bytes`);
  const low = Math.max(clusterBits, 12);
  const bits = ((pack.length - 4) * 8) / entries;
  const view = viewOf(pack);
  const read = Array.from({ length: entries }, (_, i) => {
    const word = view.getUint32((bits * i) >> 3, true) >>> ((bits * i) & 7);
    const value = word & (2 ** low - 1);
    const type = clusterTypes[(word >>> low) & 3]!;
    const counts = type === 'nonhead' && (value & blockCountFlag) !== 0;
    return { type, value, blocks: counts ? value & ~blockCountFlag : undefined };
  });
  // Each head takes one block, or as many as the cluster behind it says; of one block each, the first comes after the base.
  let block = view.getUint32(pack.length - 4, true);
  return read.map(({ type, value, blocks }, i): Cluster => {
    if (type === 'nonhead') {
      if (isBig) block += blocks ?? 0;
      return { type, offset: 0, block: 0, blocks };
    }
    if (value >= 2 ** clusterBits) throw bad('di_clusterofs', `${value}`);
    if (!isBig) block++;
    const cluster = { type, offset: value, block, blocks: undefined };
    if (isBig && read[i + 1]?.blocks === undefined) block++;
    return cluster;
  });
}
