import { FormatError } from '../../bytes/format-error.ts';
import { cached, memorySource, readWithin, type ByteSource } from '../../bytes/source.ts';
import { readUtf8 } from '../../bytes/text.ts';
import { blockAttributes, inodeAttributes, type Attribute } from './attributes.ts';
import { runsOf, type Run } from './blocks.ts';
import { entriesOfBlock, type DirectoryEntry } from './directory.ts';
import { parseInode, type Inode } from './inode.ts';
import {
  groupDescriptor,
  groupDescriptorHigh,
  roCompatSparseSuper,
  superblock,
  superblockOffset,
} from './layouts.ts';
import { readSuperblock, type Superblock } from './superblock.ts';

export const rootInode = 2;
const inlineBytes = 60;
const maxLinkBytes = 4096;
const maxLinkHops = 40;
const maxAttributeBytes = 65536;
/** What one `read` of the source may fetch while streaming a file. */
const streamBytes = 1 << 20;

/** The tables of a block group, as block numbers. */
export interface BlockGroup {
  /** Of the descriptor, in bytes. */
  readonly offset: number;
  readonly flags: number;
  readonly blockBitmap: number;
  readonly inodeBitmap: number;
  readonly inodeTable: number;
}

/** An ext2, ext3 or ext4 file system opened for reading. The journal is not replayed. */
export class Ext4 {
  private readonly inodeTables = new Map<number, number>();

  private constructor(
    private readonly source: ByteSource,
    readonly superblock: Superblock,
    private readonly sparseSuper: boolean,
  ) {}

  /** @throws FormatError when the superblock cannot be used */
  static async open(source: ByteSource): Promise<Ext4> {
    const kept = cached(source);
    const parsed = await readSuperblock(kept);
    const bytes = await kept.read(superblockOffset, superblock.bytes);
    const roCompat = superblock.read(bytes).s_feature_ro_compat;
    return new Ext4(kept, parsed, (roCompat & roCompatSparseSuper) !== 0);
  }

  /** Bytes in use, the file system's own tables included. */
  get usedBytes(): number {
    const { blocks, freeBlocks, blockBytes } = this.superblock;
    return (blocks - freeBlocks) * blockBytes;
  }

  async inode(number: number): Promise<Inode> {
    const s = this.superblock;
    if (number < 1 || number > s.inodes) {
      throw new FormatError('ext4', 'inode', 0, `inode ${number} of ${s.inodes}`);
    }
    const group = Math.floor((number - 1) / s.inodesPerGroup);
    const table = await this.inodeTable(group);
    const offset = table * s.blockBytes + ((number - 1) % s.inodesPerGroup) * s.inodeBytes;
    const record = await readWithin(this.source, offset, s.inodeBytes, 'ext4', 'bg_inode_table_lo');
    return parseInode(record, number, offset);
  }

  /** Where a file's blocks lie on disk; empty for inline data. */
  async runs(file: Inode): Promise<Run[]> {
    if (file.inlineData) return [];
    const { blockBytes, blocks } = this.superblock;
    return runsOf(file, { blockBytes, blocks }, (block, field) => this.block(block, field));
  }

  /** A file's bytes from first to last, holes as zeros. */
  async *content(file: Inode): AsyncGenerator<Uint8Array> {
    if (file.inlineData) {
      yield this.inlineContent(file);
      return;
    }
    const { blockBytes } = this.superblock;
    let at = 0;
    for (const run of await this.runs(file)) {
      yield* zeros(Math.min(run.fileBlock * blockBytes, file.bytes) - at);
      at = Math.max(at, Math.min(run.fileBlock * blockBytes, file.bytes));
      const end = Math.min((run.fileBlock + run.blocks) * blockBytes, file.bytes);
      if (!run.written) {
        yield* zeros(end - at);
        at = Math.max(at, end);
        continue;
      }
      const disk = run.diskBlock * blockBytes;
      const start = at;
      while (at < end) {
        const part = Math.min(streamBytes, end - at);
        yield await readWithin(this.source, disk + at - start, part, 'ext4', 'ee_start_lo');
        at += part;
      }
    }
    yield* zeros(file.bytes - at);
  }

  /**
   * A whole file in memory.
   * @throws FormatError when it is larger than `limitBytes`
   */
  async read(file: Inode, limitBytes = 1 << 24): Promise<Uint8Array> {
    if (file.bytes > limitBytes) {
      throw new FormatError('ext4', 'i_size_lo', file.offset, `${file.bytes} bytes, more than ${limitBytes}`);
    }
    const out = new Uint8Array(file.bytes);
    let at = 0;
    for await (const part of this.content(file)) {
      out.set(part, at);
      at += part.length;
    }
    return out;
  }

  /** A file as a source of its own: what is asked for is read, and nothing else. */
  async contentSource(file: Inode): Promise<ByteSource> {
    if (file.inlineData) return memorySource(this.inlineContent(file));
    const { blockBytes } = this.superblock;
    const runs = (await this.runs(file)).filter(({ written }) => written);
    return {
      bytes: file.bytes,
      read: async (offset, length) => {
        const out = new Uint8Array(Math.max(0, Math.min(length, file.bytes - offset)));
        for (const run of runs) {
          const start = run.fileBlock * blockBytes;
          const from = Math.max(offset, start);
          const to = Math.min(offset + out.length, start + run.blocks * blockBytes);
          if (from >= to) continue;
          const at = run.diskBlock * blockBytes + from - start;
          out.set(await readWithin(this.source, at, to - from, 'ext4', 'ee_start_lo'), from - offset);
        }
        return out;
      },
    };
  }

  /** Names in a directory, `.` and `..` left out, in disk order. */
  async list(directory: Inode): Promise<DirectoryEntry[]> {
    if (directory.type !== 'directory') {
      throw new FormatError(
        'ext4',
        'i_mode',
        directory.offset,
        `inode ${directory.number} is a ${directory.type}`,
      );
    }
    if (directory.inlineData) return this.inlineEntries(directory);
    const { blockBytes, directoryTypes } = this.superblock;
    if (directory.bytes > this.source.bytes) {
      throw new FormatError('ext4', 'i_size_lo', directory.offset, `a directory of ${directory.bytes} bytes`);
    }
    const found: DirectoryEntry[] = [];
    for (const run of await this.runs(directory)) {
      for (let i = 0; i < run.blocks && (run.fileBlock + i) * blockBytes < directory.bytes; i++) {
        const block = await this.block(run.diskBlock + i, 'ee_start_lo');
        found.push(...entriesOfBlock(block, (run.diskBlock + i) * blockBytes, blockBytes, directoryTypes));
      }
    }
    return found.filter(({ name }) => name !== '.' && name !== '..');
  }

  /** A symbolic link's target. */
  async linkTarget(link: Inode): Promise<string> {
    if (link.bytes > maxLinkBytes) {
      throw new FormatError('ext4', 'i_size_lo', link.offset, `a link of ${link.bytes} bytes`);
    }
    const inPlace = link.bytes < inlineBytes && !link.usesExtents && !link.inlineData;
    return readUtf8(inPlace ? link.block.subarray(0, link.bytes) : await this.read(link, maxLinkBytes));
  }

  async attributes(file: Inode): Promise<Attribute[]> {
    const found = inodeAttributes(file.attributeArea, file.offset);
    if (file.attributeBlock) {
      const block = await this.block(file.attributeBlock, 'i_file_acl_lo');
      found.push(...blockAttributes(block, file.attributeBlock * this.superblock.blockBytes));
    }
    const whole: Attribute[] = [];
    for (const each of found) {
      if (each.name === 'system.data' && file.inlineData) continue;
      whole.push(
        each.valueInode
          ? { ...each, value: await this.read(await this.inode(each.valueInode), maxAttributeBytes) }
          : each,
      );
    }
    return whole;
  }

  /** The inode at an absolute path, following links; undefined when a name is missing. */
  async find(path: string): Promise<Inode | undefined> {
    return this.walk(path.split('/').filter(Boolean), [await this.inode(rootInode)], 0);
  }

  /** As `find`, where a link at the end of the path is not followed. */
  async findSelf(path: string): Promise<Inode | undefined> {
    const names = path.split('/').filter(Boolean);
    const last = names.at(-1);
    if (last === undefined || last === '.' || last === '..') return this.find(path);
    const folder = await this.find(names.slice(0, -1).join('/'));
    if (folder?.type !== 'directory') return undefined;
    const entry = (await this.list(folder)).find(({ name }) => name === last);
    return entry && this.inode(entry.inode);
  }

  /** One block of the disk, checked to lie within it. */
  readBlock(block: number): Promise<Uint8Array> {
    return this.block(block, 'bitmap');
  }

  /** A small file at a path; undefined when it is not there. */
  async small(path: string, limitBytes = 1 << 20): Promise<Uint8Array | undefined> {
    const file = await this.find(path);
    return file?.type === 'file' ? this.read(file, limitBytes) : undefined;
  }

  /** The same as text. */
  async text(path: string, limitBytes = 1 << 20): Promise<string | undefined> {
    const bytes = await this.small(path, limitBytes);
    return bytes && readUtf8(bytes);
  }

  private async walk(names: string[], trail: Inode[], hops: number): Promise<Inode | undefined> {
    for (const [i, name] of names.entries()) {
      if (name === '.') continue;
      if (name === '..') {
        if (trail.length > 1) trail.pop();
        continue;
      }
      const here = trail.at(-1)!;
      if (here.type !== 'directory') return undefined;
      const entry = (await this.list(here)).find((each) => each.name === name);
      if (!entry) return undefined;
      const next = await this.inode(entry.inode);
      if (next.type === 'link') {
        if (hops >= maxLinkHops) return undefined;
        const target = await this.linkTarget(next);
        const rest = [...target.split('/').filter(Boolean), ...names.slice(i + 1)];
        return this.walk(rest, target.startsWith('/') ? trail.slice(0, 1) : trail, hops + 1);
      }
      trail.push(next);
    }
    return trail.at(-1);
  }

  private async block(block: number, field: string): Promise<Uint8Array> {
    const { blockBytes, blocks } = this.superblock;
    if (block < 1 || block >= blocks) {
      throw new FormatError('ext4', field, 0, `block ${block} of ${blocks}`);
    }
    return readWithin(this.source, block * blockBytes, blockBytes, 'ext4', field);
  }

  /** First block of a group's inodes; read once, since it stays where it is. */
  private async inodeTable(group: number): Promise<number> {
    const known = this.inodeTables.get(group);
    if (known !== undefined) return known;
    const s = this.superblock;
    const { inodeTable, offset } = await this.group(group);
    const tableBlocks = Math.ceil((s.inodesPerGroup * s.inodeBytes) / s.blockBytes);
    if (inodeTable <= s.firstDataBlock || inodeTable + tableBlocks > s.blocks) {
      throw new FormatError('ext4', 'bg_inode_table_lo', offset + 8, `block ${inodeTable} of ${s.blocks}`);
    }
    this.inodeTables.set(group, inodeTable);
    return inodeTable;
  }

  /** Where a block group keeps its tables. */
  async group(group: number): Promise<BlockGroup> {
    const { descriptorBytes } = this.superblock;
    const offset = this.descriptorOffset(group);
    const bytes = await readWithin(this.source, offset, descriptorBytes, 'ext4', 'group descriptor');
    const low = groupDescriptor.read(bytes, 0, offset);
    const high =
      descriptorBytes >= 64 ? groupDescriptorHigh.read(bytes, groupDescriptor.bytes, offset) : undefined;
    const wide = (lowPart: number, highPart = 0) => lowPart + highPart * 2 ** 32;
    return {
      offset,
      flags: low.bg_flags,
      blockBitmap: wide(low.bg_block_bitmap_lo, high?.bg_block_bitmap_hi),
      inodeBitmap: wide(low.bg_inode_bitmap_lo, high?.bg_inode_bitmap_hi),
      inodeTable: wide(low.bg_inode_table_lo, high?.bg_inode_table_hi),
    };
  }

  /** Descriptors follow the first superblock, or with meta_bg stand in the first group of their own. */
  private descriptorOffset(group: number): number {
    const s = this.superblock;
    const perBlock = Math.floor(s.blockBytes / s.descriptorBytes);
    const index = Math.floor(group / perBlock);
    const within = (group % perBlock) * s.descriptorBytes;
    if (!s.metaGroups || index < s.firstMetaGroup) {
      return (s.firstDataBlock + 1 + index) * s.blockBytes + within;
    }
    const home = index * perBlock;
    const start = s.firstDataBlock + home * s.blocksPerGroup;
    return (start + (this.hasSuperblock(home) ? 1 : 0)) * s.blockBytes + within;
  }

  /** Whether a group begins with a copy of the superblock and of the descriptors. */
  hasSuperblock(group: number): boolean {
    if (!this.sparseSuper || group <= 1) return true;
    return [3, 5, 7].some((base) => {
      let power = base;
      while (power < group) power *= base;
      return power === group;
    });
  }

  /** The first 60 bytes stand in i_block, the rest in the attribute `system.data`. */
  private inlineContent(file: Inode): Uint8Array {
    const rest = inodeAttributes(file.attributeArea, file.offset).find(({ name }) => name === 'system.data');
    if (file.bytes > inlineBytes + (rest?.value.length ?? 0)) {
      throw new FormatError('ext4', 'i_size_lo', file.offset, `${file.bytes} bytes of inline data`);
    }
    const out = new Uint8Array(file.bytes);
    out.set(file.block.subarray(0, Math.min(inlineBytes, file.bytes)));
    if (file.bytes > inlineBytes) out.set(rest!.value.subarray(0, file.bytes - inlineBytes), inlineBytes);
    return out;
  }

  /** An inline directory starts with the parent's inode number and has no `.` and `..`. */
  private inlineEntries(directory: Inode): DirectoryEntry[] {
    const { blockBytes, directoryTypes } = this.superblock;
    const bytes = this.inlineContent(directory);
    const head = entriesOfBlock(bytes.subarray(4, inlineBytes), directory.offset, blockBytes, directoryTypes);
    const tail = entriesOfBlock(bytes.subarray(inlineBytes), directory.offset, blockBytes, directoryTypes);
    return [...head, ...tail];
  }
}

function* zeros(bytes: number): Generator<Uint8Array> {
  for (let left = bytes; left > 0; left -= streamBytes) {
    yield new Uint8Array(Math.min(left, streamBytes));
  }
}
