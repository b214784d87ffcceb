import { FormatError } from '../../bytes/format-error.ts';
import { crc32cRegister } from '../../bytes/crc32.ts';
import { ascii, layout, raw, u16, u32, u64, u8 } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { hex } from '../../bytes/text.ts';

/** erofs superblock (Linux, fs/erofs/erofs_fs.h), little endian, at byte 1024. */
const superblock = layout('erofs', {
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
});

const magic = 0xe0f5e1e2;
const offset = 1024;
const hasChecksum = 1;

export interface Erofs {
  readonly blockBytes: number;
  readonly blocks: number;
  /** Bytes of the whole file system. */
  readonly bytes: number;
  readonly inodes: number;
  readonly volumeName: string;
  readonly uuid: string;
  readonly findings: readonly string[];
}

/** By the first 2 KiB. */
export const looksLikeErofs = (head: Uint8Array): boolean =>
  head.length >= offset + 4 && new DataView(head.buffer, head.byteOffset).getUint32(offset, true) === magic;

/**
 * Reads what an erofs superblock says of itself.
 * @throws FormatError when it is none or larger than the input
 */
export async function readErofs(source: ByteSource): Promise<Erofs> {
  const bytes = await readWithin(source, offset, superblock.bytes, 'erofs', 'superblock');
  const found = superblock.read(bytes, 0, offset);
  const bad = (field: Parameters<typeof superblock.offsetOf>[0], reason: string) =>
    new FormatError('erofs', field, offset + superblock.offsetOf(field), reason);
  if (found.magic !== magic) throw bad('magic', `0x${found.magic.toString(16)}`);
  if (found.blockBits < 9 || found.blockBits > 16)
    throw bad('blockBits', `blocks of 2^${found.blockBits} bytes`);
  const blockBytes = 2 ** found.blockBits;
  if (found.blocks === 0 || found.blocks * blockBytes > source.bytes) {
    throw bad('blocks', `${found.blocks} blocks of ${blockBytes} bytes in ${source.bytes}`);
  }
  if (found.inodes > BigInt(Number.MAX_SAFE_INTEGER)) throw bad('inodes', `${found.inodes} inodes`);
  const findings: string[] = [];
  if (found.compatibleFeatures & hasChecksum) {
    const block = new Uint8Array(
      await readWithin(
        source,
        offset,
        Math.max(blockBytes - offset, superblock.bytes),
        'erofs',
        'superblock',
      ),
    );
    block.fill(0, superblock.offsetOf('checksum'), superblock.offsetOf('checksum') + 4);
    if (crc32cRegister(block) !== found.checksum) findings.push('The checksum of the superblock is wrong.');
  }
  return {
    blockBytes,
    blocks: found.blocks,
    bytes: found.blocks * blockBytes,
    inodes: Number(found.inodes),
    volumeName: found.volumeName,
    uuid: hex(found.uuid).replace(/^(.{8})(.{4})(.{4})(.{4})/, '$1-$2-$3-$4-'),
    findings,
  };
}
