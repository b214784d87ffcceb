import { FormatError } from '../../bytes/format-error.ts';
import { alignRanges, type ByteRange } from '../../bytes/ranges.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { F2fs } from './file-system.ts';
import { blockBytes, sitEntriesPerBlock, sitEntryBytes, testBit } from './layouts.ts';

/**
 * Where the blocks that an f2fs has in use lie: all its tables, what the segment information marks in the main area, and
 * whatever lies behind it on the partition. All else may be taken as zeros.
 * @throws FormatError where it was not unmounted: what a file was synced to since lies in blocks that nothing marks
 */
export async function usedRangesOfF2fs(source: ByteSource): Promise<ByteRange[]> {
  const { superblock, checkpoint } = await F2fs.open(source);
  if (!checkpoint.isClean)
    throw new FormatError('f2fs', 'ckpt_flags', superblock.checkpoint * blockBytes, 'it was not unmounted');
  const { main, mainSegments, blocksPerSegment, sit, sitSegments } = superblock;
  const found: ByteRange[] = [];
  const add = (block: number, count: number) =>
    found.push({ offset: block * blockBytes, bytes: count * blockBytes });
  add(0, main);
  const half = (sitSegments / 2) * blocksPerSegment;
  for (let segment = 0; segment < mainSegments;) {
    const index = Math.floor(segment / sitEntriesPerBlock);
    if (index >= half)
      throw new FormatError('f2fs', 'sit', sit * blockBytes, `no place for segment ${segment}`);
    const at = (sit + index + (testBit(checkpoint.sitBitmap, index) ? half : 0)) * blockBytes;
    const block = await readWithin(source, at, blockBytes, 'f2fs', 'sit');
    const end = Math.min(mainSegments, (index + 1) * sitEntriesPerBlock);
    for (; segment < end; segment++) {
      const start = (segment % sitEntriesPerBlock) * sitEntryBytes;
      const entry = checkpoint.sitJournal.get(segment) ?? block.subarray(start, start + sitEntryBytes);
      addMarked(entry.subarray(2, 66), main + segment * blocksPerSegment, add);
    }
  }
  const end = (main + mainSegments * blocksPerSegment) * blockBytes;
  if (source.bytes > end) found.push({ offset: end, bytes: source.bytes - end });
  return alignRanges(found, blockBytes, source.bytes);
}

function addMarked(map: Uint8Array, first: number, add: (block: number, count: number) => void): void {
  let start = -1;
  const bits = map.length * 8;
  for (let bit = 0; bit <= bits; bit++) {
    const isSet = bit < bits && testBit(map, bit);
    if (isSet && start < 0) start = bit;
    if (!isSet && start >= 0) {
      add(first + start, bit - start);
      start = -1;
    }
  }
}
