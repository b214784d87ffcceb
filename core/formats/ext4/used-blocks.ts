import { alignRanges, type ByteRange } from '../../bytes/ranges.ts';
import { FormatError } from '../../bytes/format-error.ts';
import type { ByteSource } from '../../bytes/source.ts';
import { Ext4 } from './file-system.ts';
import { groupBlockUninit } from './layouts.ts';

/**
 * Where the blocks that a file system has in use lie (kernel, Documentation/filesystems/ext4: block and
 * inode bitmaps, special inodes aside): all that its bitmaps mark, its own tables, and whatever lies
 * behind it on the partition. All else may be taken as zeros.
 * @throws FormatError when the bitmaps cannot be trusted: changes wait in the journal
 */
export async function usedRanges(source: ByteSource): Promise<ByteRange[]> {
  const fs = await Ext4.open(source);
  const { blockBytes, blocks, groups, needsRecovery } = fs.superblock;
  if (needsRecovery) {
    throw new FormatError(
      'ext4',
      's_feature_incompat',
      0,
      'the journal holds changes that the bitmaps do not have',
    );
  }
  const found: ByteRange[] = [];
  const add = (block: number, count: number) =>
    found.push({ offset: block * blockBytes, bytes: count * blockBytes });
  // With blocks of 1 KiB the first one lies before the first group.
  add(0, fs.superblock.firstDataBlock + 1);
  for (let group = 0; group < groups; group++) await addGroup(fs, group, add);
  const end = blocks * blockBytes;
  if (source.bytes > end) found.push({ offset: end, bytes: source.bytes - end });
  return alignRanges(found, blockBytes, source.bytes);
}

async function addGroup(fs: Ext4, group: number, add: (block: number, count: number) => void): Promise<void> {
  const s = fs.superblock;
  const { flags, blockBitmap, inodeBitmap, inodeTable, offset } = await fs.group(group);
  const first = s.firstDataBlock + group * s.blocksPerGroup;
  const count = Math.min(s.blocksPerGroup, s.blocks - first);
  const tableBlocks = Math.ceil((s.inodesPerGroup * s.inodeBytes) / s.blockBytes);
  const inside = (block: number, length: number) => block >= 0 && block + length <= s.blocks;
  if (!inside(blockBitmap, 1) || !inside(inodeBitmap, 1) || !inside(inodeTable, tableBlocks)) {
    throw new FormatError('ext4', 'group descriptor', offset, `tables of group ${group} lie outside`);
  }
  add(blockBitmap, 1);
  add(inodeBitmap, 1);
  add(inodeTable, tableBlocks);
  if (fs.hasSuperblock(group)) {
    const descriptorBlocks = Math.ceil((s.groups * s.descriptorBytes) / s.blockBytes);
    add(first, Math.min(count, 1 + descriptorBlocks + s.reservedDescriptorBlocks));
  }
  if (s.metaGroups) {
    // Descriptors of a meta group stand in its first, second and last group.
    add(first, Math.min(count, 2));
  }
  if (s.uninitialisedGroups && flags & groupBlockUninit) return;
  addMarked(await fs.readBlock(blockBitmap), s.clusterBlocks, first, count, add);
}

/** Runs of set bits, lowest bit first; with clusters each stands for several blocks. */
function addMarked(
  bitmap: Uint8Array,
  clusterBlocks: number,
  first: number,
  count: number,
  add: (block: number, count: number) => void,
): void {
  let start = -1;
  for (let block = 0; block < count; block += clusterBlocks) {
    const bit = block / clusterBlocks;
    const isSet = ((bitmap[bit >> 3] ?? 0) >> (bit & 7)) & 1;
    if (isSet && start < 0) start = block;
    if (!isSet && start >= 0) {
      add(first + start, block - start);
      start = -1;
    }
  }
  if (start >= 0) add(first + start, count - start);
}
