import { BuildError } from '../../file-system/building.ts';

export const blockBytes = 4096;
export const blocksPerGroup = blockBytes * 8;
export const inodeBytes = 256;
export const inodesPerBlock = blockBytes / inodeBytes;
/** As mke2fs does it for file systems of usual size. */
const bytesPerInode = 16_384;
export const descriptorBytes = 32;

/** Where the tables of a new file system lie, by the size of its device. */
export class Ext4Geometry {
  readonly blocks: number;
  readonly groups: number;
  readonly inodesPerGroup: number;
  readonly descriptorBlocks: number;
  readonly tableBlocks: number;

  /** @param bytes of the device @throws BuildError when these are too few */
  constructor(bytes: number) {
    let blocks = Math.floor(bytes / blockBytes);
    const inodes = Math.max(64, Math.floor(bytes / bytesPerInode));
    const tail = (all: number) => all % blocksPerGroup;
    const perGroup = (groups: number) => Math.ceil(inodes / groups / inodesPerBlock) * inodesPerBlock;
    const overhead = (groups: number) =>
      1 + Math.ceil((groups * descriptorBytes) / blockBytes) + 2 + perGroup(groups) / inodesPerBlock;
    // A last group without room for its own tables is left out, as mke2fs does.
    const groups = Math.ceil(blocks / blocksPerGroup);
    if (groups > 1 && tail(blocks) > 0 && tail(blocks) < overhead(groups) + 50) blocks -= tail(blocks);
    this.blocks = blocks;
    this.groups = Math.ceil(blocks / blocksPerGroup);
    this.inodesPerGroup = Math.min(perGroup(this.groups), blocksPerGroup);
    this.tableBlocks = this.inodesPerGroup / inodesPerBlock;
    this.descriptorBlocks = Math.ceil((this.groups * descriptorBytes) / blockBytes);
    if (blocks < overhead(this.groups) + 16) throw new BuildError(`${bytes} bytes are too few`);
  }

  /** The block in which a group's bitmaps and its inode table begin. */
  tablesStart(group: number): number {
    return group * blocksPerGroup + (hasBackup(group) ? 1 + this.descriptorBlocks : 0);
  }

  dataStart(group: number): number {
    return this.tablesStart(group) + 2 + this.tableBlocks;
  }
}

/** Groups with copies of the superblock: 0, 1 and powers of 3, 5 and 7 (feature sparse_super). */
export function hasBackup(group: number): boolean {
  if (group <= 1) return true;
  return [3, 5, 7].some((base) => {
    let power = base;
    while (power < group) power *= base;
    return power === group;
  });
}
