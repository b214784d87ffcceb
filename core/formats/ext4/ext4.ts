export { Ext4Builder } from './building/ext4-builder.ts';
export { emptyTables } from './empty-tables.ts';
export { Ext4, rootInode } from './file-system.ts';
export { usedRanges } from './used-blocks.ts';
export { looksLikeExt4, parseSuperblock, readSuperblock, withMount, type Superblock } from './superblock.ts';
export { superblockOffset } from './layouts.ts';
export type { Inode } from './inode.ts';
export type { Run } from './blocks.ts';
export { withModified } from './touch.ts';
