export {
  Ext4Builder,
  Ext4BuildError,
  type BlockRun,
  type Ext4Plan,
  type Ext4Sink,
  type NewFile,
} from './build.ts';
export { emptyTables } from './empty-tables.ts';
export { Ext4, rootInode } from './file-system.ts';
export { usedRanges } from './used-blocks.ts';
export { looksLikeExt4, parseSuperblock, readSuperblock, withMount, type Superblock } from './superblock.ts';
export { superblockOffset } from './layouts.ts';
export type { Attribute } from './attributes.ts';
export type { FileType, Inode } from './inode.ts';
export type { Run } from './blocks.ts';
export { withModified } from './touch.ts';
