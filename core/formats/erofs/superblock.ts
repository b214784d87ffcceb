import { crc32cRegister } from '../../bytes/crc32.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { hex } from '../../bytes/text.ts';
import {
  compatible,
  featureNames,
  incompatible,
  superblock,
  superblockMagic,
  superblockOffset as offset,
} from './layouts.ts';

export interface ErofsSuperblock {
  readonly blockBytes: number;
  readonly blockBits: number;
  readonly blocks: number;
  /** Bytes of the whole file system. */
  readonly bytes: number;
  readonly inodes: number;
  readonly volumeName: string;
  readonly uuid: string;
  readonly features: readonly string[];
  readonly findings: readonly string[];
  readonly rootNid: number;
  /** Where inodes begin, and shared attributes, in bytes. */
  readonly metaOffset: number;
  readonly attributesOffset: number;
  /** When it was made, in seconds since 1970; what has no time of its own has this. */
  readonly builtAt: number;
  readonly directoryBlockBytes: number;
  /** What is packed stands at the end of its blocks. */
  readonly zeroPadding: boolean;
  /** The file that ends of other files are in. */
  readonly packedNid: number | undefined;
  readonly attributePrefixes: { readonly count: number; readonly offset: number; readonly isPlain: boolean };
  readonly extraDevices: number;
}

/** By the first 2 KiB. */
export const looksLikeErofs = (head: Uint8Array): boolean =>
  head.length >= offset + 4 &&
  new DataView(head.buffer, head.byteOffset).getUint32(offset, true) === superblockMagic;

/**
 * Reads what an erofs superblock says of itself.
 * @throws FormatError when it is none, is larger than the input, or has what is not known here
 */
export async function readErofs(source: ByteSource): Promise<ErofsSuperblock> {
  const bytes = await readWithin(source, offset, superblock.bytes, 'erofs', 'superblock');
  const s = superblock.read(bytes, 0, offset);
  const bad = (field: Parameters<typeof superblock.offsetOf>[0], reason: string) =>
    new FormatError('erofs', field, offset + superblock.offsetOf(field), reason);
  if (s.magic !== superblockMagic) throw bad('magic', `0x${s.magic.toString(16)}`);
  if (s.blockBits < 9 || s.blockBits > 16) throw bad('blockBits', `blocks of 2^${s.blockBits} bytes`);
  const blockBytes = 2 ** s.blockBits;
  const known = Object.keys(featureNames).reduce((all, bit) => all | Number(bit), 0);
  const unknown = (s.incompatibleFeatures & ~known) >>> 0;
  if (unknown) throw bad('incompatibleFeatures', `0x${unknown.toString(16)}, which is not known here`);
  if (s.blocks === 0 || s.blocks * blockBytes > source.bytes) {
    throw bad('blocks', `${s.blocks} blocks of ${blockBytes} bytes in ${source.bytes}`);
  }
  if (s.directoryBlockBits + s.blockBits > 16) throw bad('directoryBlockBits', `${s.directoryBlockBits}`);
  const inodes = safeInteger(s.inodes, 'erofs', 'inodes', offset + superblock.offsetOf('inodes'));
  const findings: string[] = [];
  if (s.compatibleFeatures & compatible.checksum) {
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
    if (crc32cRegister(block) !== s.checksum) findings.push('The checksum of the superblock is wrong.');
  }
  const has = (feature: number) => (s.incompatibleFeatures & feature) !== 0;
  const extraDevices = has(incompatible.deviceTable) ? s.extraDevices : 0;
  if (extraDevices > 0)
    findings.push(`Some of its files lie on ${extraDevices} other devices, which are not here.`);
  return {
    blockBytes,
    blockBits: s.blockBits,
    blocks: s.blocks,
    bytes: s.blocks * blockBytes,
    inodes,
    volumeName: s.volumeName,
    uuid: hex(s.uuid).replace(/^(.{8})(.{4})(.{4})(.{4})/, '$1-$2-$3-$4-'),
    features: Object.entries(featureNames).flatMap(([bit, name]) => (has(Number(bit)) ? [name] : [])),
    findings,
    rootNid: s.rootNid,
    metaOffset: s.metaBlock * blockBytes,
    attributesOffset: s.attributesBlock * blockBytes,
    builtAt: Number(BigInt.asIntN(64, s.buildTime)),
    directoryBlockBytes: blockBytes << s.directoryBlockBits,
    zeroPadding: has(incompatible.zeroPadding),
    packedNid:
      has(incompatible.fragments) && s.packedNid > 0n
        ? safeInteger(s.packedNid, 'erofs', 'packedNid', offset + superblock.offsetOf('packedNid'))
        : undefined,
    attributePrefixes: {
      count: has(incompatible.attributePrefixes) ? s.attributePrefixCount : 0,
      offset: s.attributePrefixStart * 4,
      isPlain: (s.compatibleFeatures & compatible.plainAttributePrefixes) !== 0,
    },
    extraDevices,
  };
}
