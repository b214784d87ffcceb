import { FormatError } from '../../bytes/format-error.ts';
import { layout, raw, u16, u32, u64, words } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { hex, readUtf16 } from '../../bytes/text.ts';

/** f2fs superblock (Linux, include/linux/f2fs_fs.h), little endian; two copies, at 1024 and one block on. */
const superblock = layout('f2fs', {
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
  segmentCounts: words(5), // checkpoint, SIT, NAT, SSA, main
  addresses: words(6), // segment 0, checkpoint, SIT, NAT, SSA, main
  rootInode: u32,
  nodeInode: u32,
  metaInode: u32,
  uuid: raw(16),
  volumeName: raw(1024), // UTF-16LE
});

const magic = 0xf2f52010;
const primaryOffset = 1024;

export interface F2fs {
  readonly blockBytes: number;
  readonly blocks: number;
  /** Bytes of the whole file system. */
  readonly bytes: number;
  readonly volumeName: string;
  readonly uuid: string;
  readonly findings: readonly string[];
}

/** By the first 2 KiB. */
export const looksLikeF2fs = (head: Uint8Array): boolean =>
  head.length >= primaryOffset + 4 &&
  new DataView(head.buffer, head.byteOffset).getUint32(primaryOffset, true) === magic;

/**
 * Reads what an f2fs superblock says of itself.
 * @throws FormatError when neither copy is one
 */
export async function readF2fs(source: ByteSource): Promise<F2fs> {
  try {
    return await readCopy(source, primaryOffset, []);
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    try {
      return await readCopy(source, 4096 + primaryOffset, [
        `The first superblock is damaged (${error.message}); the second was read.`,
      ]);
    } catch (second) {
      if (!(second instanceof FormatError)) throw second;
      throw error;
    }
  }
}

async function readCopy(source: ByteSource, base: number, findings: readonly string[]): Promise<F2fs> {
  const bytes = await readWithin(source, base, superblock.bytes, 'f2fs', 'superblock');
  const found = superblock.read(bytes, 0, base);
  const bad = (field: Parameters<typeof superblock.offsetOf>[0], reason: string) =>
    new FormatError('f2fs', field, base + superblock.offsetOf(field), reason);
  if (found.magic !== magic) throw bad('magic', `0x${found.magic.toString(16)}`);
  if (found.blockBits < 9 || found.blockBits > 16)
    throw bad('blockBits', `blocks of 2^${found.blockBits} bytes`);
  const blockBytes = 2 ** found.blockBits;
  if (found.blocks === 0n || found.blocks * BigInt(blockBytes) > BigInt(source.bytes)) {
    throw bad('blocks', `${found.blocks} blocks of ${blockBytes} bytes in ${source.bytes}`);
  }
  const blocks = Number(found.blocks);
  return {
    blockBytes,
    blocks,
    bytes: blocks * blockBytes,
    volumeName: readUtf16(found.volumeName),
    uuid: hex(found.uuid).replace(/^(.{8})(.{4})(.{4})(.{4})/, '$1-$2-$3-$4-'),
    findings,
  };
}
