import { rangesBytes, type ByteRange } from '../../bytes/ranges.ts';

/** An image as a list of names of its chunks. */
export interface ChunkList {
  readonly bytes: number;
  readonly chunkBytes: number;
  /** Hexadecimal names in order; `0` is a chunk of zeros. */
  readonly chunks: readonly string[];
}

/** Where two images differ, to the chunk. */
export interface BlockComparison {
  readonly chunkBytes: number;
  /** Of the longer one. */
  readonly bytes: number;
  /** In chunks that differ, and in what only one of them has. */
  readonly differingBytes: number;
  /** Ascending; those that touch are one. */
  readonly ranges: readonly ByteRange[];
  /** The share that differs in each of so many equal parts, from first to last; 0 to 1. */
  readonly strip: readonly number[];
}

/**
 * What is known to differ of a partition, as a comparison of blocks.
 * @param differing ascending, none touching another
 * @param pieceBytes to which it is known
 */
export function blocksOf(
  differing: readonly ByteRange[],
  bytes: number,
  pieceBytes: number,
  parts = 200,
): BlockComparison {
  const partCount = Math.max(1, Math.min(parts, Math.ceil(bytes / pieceBytes)));
  const partBytes = bytes / partCount;
  const strip = new Array<number>(partCount).fill(0);
  for (const { offset, bytes: length } of differing) {
    const end = offset + length;
    for (let part = Math.floor(offset / partBytes); part < partCount && part * partBytes < end; part++)
      strip[part]! += Math.min(end, (part + 1) * partBytes) - Math.max(offset, part * partBytes);
  }
  return {
    chunkBytes: pieceBytes,
    bytes,
    differingBytes: rangesBytes(differing),
    ranges: differing,
    strip: strip.map((sum) => Math.min(1, sum / partBytes)),
  };
}

/**
 * Compares two images by the names of their chunks, without reading them.
 * @param parts how many the strip has at most; never more than there are chunks
 */
export function compareBlocks(a: ChunkList, b: ChunkList, parts = 200): BlockComparison {
  if (a.chunkBytes !== b.chunkBytes) throw new RangeError('chunks of two sizes cannot be compared');
  const { chunkBytes } = a;
  const bytes = Math.max(a.bytes, b.bytes);
  const count = Math.max(a.chunks.length, b.chunks.length);
  const ranges: { offset: number; bytes: number }[] = [];
  const [sums, sizes] = [new Map<number, number>(), new Map<number, number>()];
  const partCount = Math.max(1, Math.min(parts, count));
  let differingBytes = 0;
  for (let i = 0; i < count; i++) {
    const offset = i * chunkBytes;
    const size = Math.min(chunkBytes, bytes - offset);
    const part = Math.floor((i * partCount) / count);
    sizes.set(part, (sizes.get(part) ?? 0) + size);
    // The last chunk of the shorter one may have the name of a longer one of zeros.
    const isShorter = Math.min(a.bytes, b.bytes) < offset + size;
    if (a.chunks[i] === b.chunks[i] && !isShorter) continue;
    differingBytes += size;
    sums.set(part, (sums.get(part) ?? 0) + size);
    const last = ranges.at(-1);
    if (last && last.offset + last.bytes === offset) last.bytes += size;
    else ranges.push({ offset, bytes: size });
  }
  const strip = Array.from(
    { length: count === 0 ? 0 : partCount },
    (_, i) => (sums.get(i) ?? 0) / sizes.get(i)!,
  );
  return { chunkBytes, bytes, differingBytes, ranges, strip };
}
