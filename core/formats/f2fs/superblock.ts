import { FormatError } from '../../bytes/format-error.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { hex, readUtf16 } from '../../bytes/text.ts';
import { blockBytes, featureNames, features, f2fsCrc, superblock, superblockMagic } from './layouts.ts';

const primaryOffset = 1024;
const secondaryOffset = blockBytes + primaryOffset;
/** More segments than 16 TiB have; what says more is no phone's. */
const mostSegments = 8 << 20;

export interface F2fsSuperblock {
  readonly blockBytes: number;
  readonly blocks: number;
  /** Bytes of the whole file system. */
  readonly bytes: number;
  readonly volumeName: string;
  readonly uuid: string;
  readonly features: readonly string[];
  readonly findings: readonly string[];
  readonly hasFlexibleInlineAttributes: boolean;
  readonly blocksPerSegment: number;
  /** Block numbers where each area begins, and how many segments some have. */
  readonly checkpoint: number;
  readonly checkpointPayload: number;
  readonly sit: number;
  readonly sitSegments: number;
  readonly nat: number;
  readonly natSegments: number;
  readonly main: number;
  readonly mainSegments: number;
  readonly rootInode: number;
}

/** By the first 2 KiB, or, where those are wiped, by the second copy. @param head the first 8 KiB, as far as there are any */
export const looksLikeF2fs = (head: Uint8Array): boolean =>
  [primaryOffset, secondaryOffset].some(
    (at) =>
      head.length >= at + 4 &&
      new DataView(head.buffer, head.byteOffset).getUint32(at, true) === superblockMagic,
  );

/**
 * Reads what an f2fs superblock says of itself; there are two copies, at 1024 and one block on.
 * @throws FormatError when neither copy can be used
 */
export async function readF2fs(source: ByteSource): Promise<F2fsSuperblock> {
  try {
    return await readCopy(source, primaryOffset, []);
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    try {
      return await readCopy(source, secondaryOffset, [
        `The first superblock is damaged (${error.message}); the second was read.`,
      ]);
    } catch (second) {
      if (!(second instanceof FormatError)) throw second;
      throw error;
    }
  }
}

async function readCopy(
  source: ByteSource,
  base: number,
  findings: readonly string[],
): Promise<F2fsSuperblock> {
  const bytes = await readWithin(source, base, superblock.bytes, 'f2fs', 'superblock');
  const s = superblock.read(bytes, 0, base);
  const bad = (field: Parameters<typeof superblock.offsetOf>[0], reason: string) =>
    new FormatError('f2fs', field, base + superblock.offsetOf(field), reason);
  if (s.magic !== superblockMagic) throw bad('magic', `0x${s.magic.toString(16)}`);
  if (2 ** s.blockBits !== blockBytes) throw bad('blockBits', `blocks of 2^${s.blockBits} bytes`);
  if (s.features & features.superblockChecksum) {
    const at = superblock.offsetOf('crc');
    if (s.checksumOffset !== at) throw bad('checksumOffset', `${s.checksumOffset}`);
    if (f2fsCrc(bytes.subarray(0, at)) !== s.crc) throw bad('crc', 'it does not match');
  }
  if (s.blocks === 0n || s.blocks * BigInt(blockBytes) > BigInt(source.bytes)) {
    throw bad('blocks', `${s.blocks} blocks of ${blockBytes} bytes in ${source.bytes}`);
  }
  if (s.blocksPerSegmentBits !== 9) throw bad('blocksPerSegmentBits', `2^${s.blocksPerSegmentBits} blocks`);
  const blocksPerSegment = 512;
  const blocks = Number(s.blocks);
  if (s.segments === 0 || s.segments > mostSegments) throw bad('segments', `${s.segments}`);
  const areas = [
    ['checkpoint', s.checkpointSegments],
    ['sit', s.sitSegments],
    ['nat', s.natSegments],
    ['summaries', s.summarySegments],
    ['main', s.mainSegments],
  ] as const;
  let end = s.segment0;
  for (const [area, segments] of areas) {
    if (s[area] !== end || segments === 0) throw bad(area, `it begins at block ${s[area]}, not ${end}`);
    end += segments * blocksPerSegment;
    if (end > blocks) throw bad(area, `it ends at block ${end} of ${blocks}`);
  }
  if (s.sitSegments % 2 || s.natSegments % 2 || s.checkpointSegments !== 2)
    throw bad('checkpointSegments', `${s.checkpointSegments}, ${s.sitSegments} and ${s.natSegments}`);
  if (s.checkpointPayload > blocksPerSegment - 8) throw bad('checkpointPayload', `${s.checkpointPayload}`);
  // The first device is this one; what follows it lies elsewhere.
  if (s.devices.subarray(68).some((byte) => byte !== 0))
    throw bad('devices', 'it reaches over several devices, of which this is one');
  if (s.features & features.zoned) throw bad('features', 'it is made for zoned storage, which is not read');
  return {
    blockBytes,
    blocks,
    bytes: blocks * blockBytes,
    volumeName: readUtf16(s.volumeName),
    uuid: hex(s.uuid).replace(/^(.{8})(.{4})(.{4})(.{4})/, '$1-$2-$3-$4-'),
    features: namesOf(s.features),
    findings,
    hasFlexibleInlineAttributes: (s.features & features.flexibleInlineAttributes) !== 0,
    blocksPerSegment,
    checkpoint: s.checkpoint,
    checkpointPayload: s.checkpointPayload,
    sit: s.sit,
    sitSegments: s.sitSegments,
    nat: s.nat,
    natSegments: s.natSegments,
    main: s.main,
    mainSegments: s.mainSegments,
    rootInode: s.rootInode,
  };
}

const namesOf = (bits: number): string[] =>
  Array.from({ length: 32 }, (_, i) => (1 << i) >>> 0)
    .filter((bit) => (bits & bit) !== 0)
    .map((bit) => featureNames[bit] ?? `0x${bit.toString(16)}`);
