import { FormatError } from '../../bytes/format-error.ts';
import type { Inode } from './inode.ts';
import { extent, extentHeader, extentIndex, extentMagic } from './layouts.ts';

/** A run of a file's blocks that lie together on disk. */
export interface Run {
  /** First block within the file. */
  readonly fileBlock: number;
  /** First block on disk. */
  readonly diskBlock: number;
  readonly blocks: number;
  /** False for space that is allocated but reads as zeros. */
  readonly written: boolean;
}

export type ReadBlock = (block: number, field: string) => Promise<Uint8Array>;

interface Limits {
  readonly blockBytes: number;
  readonly blocks: number;
}

/** Deepest tree the format allows (kernel docs, "Extent Tree"). */
const maxDepth = 5;
const maxUnwritten = 32768;

/** Where a file's blocks lie, ascending, holes left out. */
export async function runsOf(file: Inode, limits: Limits, readBlock: ReadBlock): Promise<Run[]> {
  const runs = file.usesExtents
    ? await extentRuns(file, readBlock)
    : await mappedRuns(file, limits, readBlock);
  let next = 0;
  for (const run of runs) {
    if (run.fileBlock < next) throw bad(file, 'ee_block', `block ${run.fileBlock} is mapped twice`);
    next = run.fileBlock + run.blocks;
    if (run.diskBlock < 1 || run.diskBlock + run.blocks > limits.blocks) {
      throw bad(file, 'ee_start_lo', `blocks from ${run.diskBlock} lie outside the file system`);
    }
  }
  return runs;
}

const bad = (file: Inode, field: string, reason: string) =>
  new FormatError('ext4', field, file.offset, `inode ${file.number}: ${reason}`);

async function extentRuns(file: Inode, readBlock: ReadBlock): Promise<Run[]> {
  const runs: Run[] = [];
  const seen = new Set<number>();
  const walk = async (node: Uint8Array, expectedDepth: number | undefined): Promise<void> => {
    const header = extentHeader.read(node, 0, file.offset);
    if (header.eh_magic !== extentMagic) throw bad(file, 'eh_magic', `0x${header.eh_magic.toString(16)}`);
    if (header.eh_depth > maxDepth || (expectedDepth !== undefined && header.eh_depth !== expectedDepth)) {
      throw bad(file, 'eh_depth', `${header.eh_depth}`);
    }
    const room = Math.floor((node.length - extentHeader.bytes) / extent.bytes);
    if (header.eh_entries > room) throw bad(file, 'eh_entries', `${header.eh_entries} in room for ${room}`);
    for (let i = 0; i < header.eh_entries; i++) {
      const at = extentHeader.bytes + i * extent.bytes;
      if (header.eh_depth === 0) {
        const e = extent.read(node, at);
        const written = e.ee_len <= maxUnwritten;
        const blocks = written ? e.ee_len : e.ee_len - maxUnwritten;
        if (blocks === 0) throw bad(file, 'ee_len', 'an empty extent');
        const diskBlock = e.ee_start_lo + e.ee_start_hi * 2 ** 32;
        runs.push({ fileBlock: e.ee_block, diskBlock, blocks, written });
        continue;
      }
      const index = extentIndex.read(node, at);
      const leaf = index.ei_leaf_lo + index.ei_leaf_hi * 2 ** 32;
      if (seen.has(leaf)) throw bad(file, 'ei_leaf_lo', `block ${leaf} stands in the tree twice`);
      seen.add(leaf);
      await walk(await readBlock(leaf, 'ei_leaf_lo'), header.eh_depth - 1);
    }
  };
  await walk(file.block, undefined);
  return runs.sort((a, b) => a.fileBlock - b.fileBlock || a.diskBlock - b.diskBlock);
}

/** The older map: 12 direct blocks, then one, two and three levels of pointer blocks. */
async function mappedRuns(file: Inode, limits: Limits, readBlock: ReadBlock): Promise<Run[]> {
  const runs: { fileBlock: number; diskBlock: number; blocks: number; written: true }[] = [];
  const perBlock = limits.blockBytes / 4;
  const fileBlocks = Math.ceil(file.bytes / limits.blockBytes);
  const seen = new Set<number>();
  const add = (fileBlock: number, diskBlock: number) => {
    const last = runs.at(-1);
    if (last && last.fileBlock + last.blocks === fileBlock && last.diskBlock + last.blocks === diskBlock) {
      last.blocks++;
    } else {
      runs.push({ fileBlock, diskBlock, blocks: 1, written: true });
    }
  };
  const walk = async (pointer: number, level: number, fileBlock: number): Promise<void> => {
    if (pointer === 0 || fileBlock >= fileBlocks) return;
    if (level === 0) {
      add(fileBlock, pointer);
      return;
    }
    if (seen.has(pointer)) throw bad(file, 'i_block', `pointer block ${pointer} is used twice`);
    seen.add(pointer);
    const block = await readBlock(pointer, 'i_block');
    const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
    const span = perBlock ** (level - 1);
    for (let i = 0; i < perBlock; i++) {
      await walk(view.getUint32(i * 4, true), level - 1, fileBlock + i * span);
    }
  };
  const root = new DataView(file.block.buffer, file.block.byteOffset, file.block.byteLength);
  for (let i = 0; i < 12; i++) await walk(root.getUint32(i * 4, true), 0, i);
  let start = 12;
  for (let level = 1; level <= 3; level++) {
    await walk(root.getUint32((11 + level) * 4, true), level, start);
    start += perBlock ** level;
  }
  return runs;
}
