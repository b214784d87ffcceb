import type { ByteRange } from '../../bytes/ranges.ts';
import type { Ext4 } from './file-system.ts';

/**
 * Blocks of inode tables in which no inode ever was since the file system was made, or whose inodes were let go of
 * properly: nothing in them has to be written for them to count as empty. None where groups need not be initialised,
 * for what stands there then says nothing (kernel, Documentation/filesystems/ext4: block groups, lazy initialisation).
 */
export async function emptyTables(fs: Ext4): Promise<ByteRange[]> {
  const { blockBytes, inodeBytes, inodesPerGroup, groups, uninitialisedGroups } = fs.superblock;
  if (uninitialisedGroups) return [];
  const perBlock = blockBytes / inodeBytes;
  const found: { offset: number; bytes: number }[] = [];
  for (let group = 0; group < groups; group++) {
    const { inodeBitmap, inodeTable } = await fs.group(group);
    const bitmap = await fs.readBlock(inodeBitmap);
    for (let i = 0; i < inodesPerGroup; i += perBlock) {
      if (isAnySet(bitmap, i, Math.min(i + perBlock, inodesPerGroup))) continue;
      const offset = (inodeTable + i / perBlock) * blockBytes;
      const last = found.at(-1);
      if (last && last.offset + last.bytes === offset) last.bytes += blockBytes;
      else found.push({ offset, bytes: blockBytes });
    }
  }
  return found;
}

function isAnySet(bits: Uint8Array, from: number, to: number): boolean {
  for (let i = from; i < to; i++) if (bits[i >> 3]! & (1 << (i & 7))) return true;
  return false;
}
