export { Erofs } from './file-system.ts';
export type { ErofsInode } from './inode.ts';
export { looksLikeErofs, readErofs, type ErofsSuperblock } from './superblock.ts';
