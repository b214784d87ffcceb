export { F2fs } from './file-system.ts';
export type { F2fsInode } from './inode.ts';
export { looksLikeF2fs, readF2fs, type F2fsSuperblock } from './superblock.ts';
export { withModified, withNextVersion } from './touch.ts';
export { usedRangesOfF2fs } from './used-blocks.ts';
export { F2fsBuilder } from './building/f2fs-builder.ts';
