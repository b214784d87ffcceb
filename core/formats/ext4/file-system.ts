import { FormatError } from '../../bytes/format-error.ts';
import { joinBytes } from '../../bytes/join.ts';
import type { ByteRange } from '../../bytes/ranges.ts';
import { cached, readWithin, type ByteSource } from '../../bytes/source.ts';
import { readUtf8 } from '../../bytes/text.ts';
import { encryptedName, FileSystem, type DirectoryEntry } from '../file-system/reading.ts';
import { extentPlaces, extentSource, placeOf, type Extent } from '../file-system/extents.ts';
import { blockAttributes, inodeAttributes, type StoredAttribute } from './attributes.ts';
import { runsOf, type Run } from './blocks.ts';
import { entriesOfBlock } from './directory.ts';
import { parseInode, type Inode } from './inode.ts';
import { Checksums } from './checksums.ts';
import { readJournal, replayed, type Replay } from './journal.ts';
import { groupDescriptor, groupDescriptorHigh, superblockOffset } from './layouts.ts';
import { readSuperblock, type Superblock } from './superblock.ts';

export const rootInode = 2;
const inlineBytes = 60;
const maxLinkBytes = 4096;
const maxAttributeBytes = 65536;

/** The tables of a block group, as block numbers. */
export interface BlockGroup {
  /** Of the descriptor, in bytes. */
  readonly offset: number;
  readonly flags: number;
  readonly blockBitmap: number;
  readonly inodeBitmap: number;
  readonly inodeTable: number;
}

/** An ext2, ext3 or ext4 file system opened for reading, as it is once its journal is in place. */
export class Ext4 extends FileSystem<Inode> {
  override readonly format = 'ext4';
  override readonly root = rootInode;
  private readonly inodeTables = new Map<number, number>();
  private readonly doubts = new Map<number, string>();
  private readonly checksums: Checksums | undefined;

  private constructor(
    private readonly source: ByteSource,
    readonly superblock: Superblock,
    private readonly replay: Replay | undefined,
  ) {
    super();
    const { checksumSeed } = superblock;
    this.checksums = checksumSeed === undefined ? undefined : new Checksums(checksumSeed);
  }

  override get findings(): readonly string[] {
    const { replay } = this;
    const { needsRecovery, findings } = this.superblock;
    if (!needsRecovery) return findings;
    return [
      ...findings,
      replay && replay.blocks.size > 0
        ? `The journal holds changes that are not yet in place (${replay.blocks.size} blocks): they are seen here as they will be once it is mounted.`
        : 'It was not unmounted; its journal holds nothing that is not in place.',
      ...(replay?.findings ?? []),
    ];
  }

  /**
   * @param byCopies whether it is looked into by a copy of its superblock where the first one is damaged: no phone mounts it by that
   * @throws FormatError when the superblock cannot be used, or the journal that is to be followed
   */
  static async open(source: ByteSource, byCopies = false): Promise<Ext4> {
    const kept = cached(source);
    const found = await readSuperblock(kept, source.bytes, byCopies);
    const plain = new Ext4(kept, found, undefined);
    if (!found.needsRecovery || found.journalInode === 0) return plain;
    const replay = await plain.journal();
    const source2 = replayed(kept, found.blockBytes, replay);
    // The superblock itself may stand in the journal: of it only what it says of its size and free blocks is another one.
    const newer = replay.blocks.size > 0 ? await readSuperblock(source2, source.bytes, byCopies) : found;
    return new Ext4(source2, { ...newer, needsRecovery: true }, replay);
  }

  private async journal(): Promise<Replay> {
    const { blockBytes, journalInode } = this.superblock;
    const file = await this.inode(journalInode);
    const extents = await this.extents(file);
    const blocks = Math.floor(file.bytes / blockBytes);
    return readJournal(this.source, blockBytes, blocks, (block) => placeOf(extents, block * blockBytes));
  }

  override doubtOf({ number }: Inode): string | undefined {
    return this.doubts.get(number);
  }

  /** Groups whose descriptors do not match their checksums, as a sentence; undefined where all do, or have none. */
  async descriptorFinding(): Promise<string | undefined> {
    const { checksums } = this;
    if (!checksums) return undefined;
    const { groups, descriptorBytes } = this.superblock;
    const damaged: number[] = [];
    for (let group = 0; group < groups; group++) {
      const offset = this.descriptorOffset(group);
      const bytes = await readWithin(this.source, offset, descriptorBytes, 'ext4', 'group descriptor');
      if (!checksums.descriptorMatches(bytes, group)) damaged.push(group);
    }
    if (damaged.length === 0) return undefined;
    const some = damaged.slice(0, 8).join(', ');
    return `Descriptors of ${damaged.length} of ${groups} block groups do not match their checksums (${some}${damaged.length > 8 ? ' and more' : ''}).`;
  }

  /** Bytes in use, the file system's own tables included. */
  get usedBytes(): number {
    const { blocks, freeBlocks, blockBytes } = this.superblock;
    return (blocks - freeBlocks) * blockBytes;
  }

  override async inode(number: number): Promise<Inode> {
    const s = this.superblock;
    if (number < 1 || number > s.inodes) {
      throw new FormatError('ext4', 'inode', 0, `inode ${number} of ${s.inodes}`);
    }
    const group = Math.floor((number - 1) / s.inodesPerGroup);
    const table = await this.inodeTable(group);
    const offset = table * s.blockBytes + ((number - 1) % s.inodesPerGroup) * s.inodeBytes;
    const record = await readWithin(this.source, offset, s.inodeBytes, 'ext4', 'bg_inode_table_lo');
    if (this.checksums?.inodeMatches(record, number) === false)
      this.doubts.set(number, 'What is told of it does not match its checksum.');
    return parseInode(record, number, offset);
  }

  /** Where a file's blocks lie on disk; empty for inline data. */
  async runs(file: Inode): Promise<Run[]> {
    if (file.inlineData) return [];
    const { blockBytes, blocks } = this.superblock;
    return runsOf(file, { blockBytes, blocks }, (block, field) => this.block(block, field));
  }

  override async contentSource(file: Inode): Promise<ByteSource> {
    if (file.inlineData) return startingWith(this.inlineContent(file), file.bytes);
    return extentSource(this.source, await this.extents(file), file.bytes, 'ext4', 'ee_start_lo');
  }

  override async places(file: Inode): Promise<readonly ByteRange[] | undefined> {
    return file.inlineData ? undefined : extentPlaces(await this.extents(file), file.bytes);
  }

  /** Of what was written; what is only allocated reads as zeros. */
  private async extents(file: Inode): Promise<Extent[]> {
    const { blockBytes } = this.superblock;
    return (await this.runs(file))
      .filter(({ written }) => written)
      .map(({ fileBlock, diskBlock, blocks }) => ({
        at: fileBlock * blockBytes,
        bytes: blocks * blockBytes,
        offset: diskBlock * blockBytes,
      }));
  }

  override async list(directory: Inode): Promise<DirectoryEntry[]> {
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
        const offset = (run.diskBlock + i) * blockBytes;
        found.push(...entriesOfBlock(block, offset, blockBytes, directoryTypes, directory.encrypted));
        const isIndex = (directory.indexed && run.fileBlock + i === 0) || isIndexNode(block);
        if (
          !isIndex &&
          this.checksums?.directoryBlockMatches(block, directory.number, directory.generation) === false
        )
          this.doubts.set(directory.number, 'A block of it does not match its checksum: names may be wrong.');
      }
    }
    return found;
  }

  override async linkTarget(link: Inode): Promise<string> {
    if (link.bytes > maxLinkBytes) {
      throw new FormatError('ext4', 'i_size_lo', link.offset, `a link of ${link.bytes} bytes`);
    }
    const inPlace = link.bytes < inlineBytes && !link.usesExtents && !link.inlineData;
    const target = inPlace ? link.block.subarray(0, link.bytes) : await this.read(link, maxLinkBytes);
    return link.encrypted ? encryptedName(target) : readUtf8(target);
  }

  override async attributes(file: Inode): Promise<StoredAttribute[]> {
    const found = inodeAttributes(file.attributeArea, file.offset);
    if (file.attributeBlock) {
      const block = await this.block(file.attributeBlock, 'i_file_acl_lo');
      found.push(...blockAttributes(block, file.attributeBlock * this.superblock.blockBytes));
    }
    const whole: StoredAttribute[] = [];
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

  /** One block of the disk, checked to lie within it. */
  readBlock(block: number): Promise<Uint8Array> {
    return this.block(block, 'bitmap');
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
      // Descriptors follow each copy of the superblock.
      const first = s.blockBytes === superblockOffset ? 1 : 0;
      const copy = s.copyGroup === 0 ? first : s.firstDataBlock + s.copyGroup * s.blocksPerGroup;
      return (copy + 1 + index) * s.blockBytes + within;
    }
    const home = index * perBlock;
    const start = s.firstDataBlock + home * s.blocksPerGroup;
    return (start + (this.hasSuperblock(home) ? 1 : 0)) * s.blockBytes + within;
  }

  /** Whether a group begins with a copy of the superblock and of the descriptors. */
  hasSuperblock(group: number): boolean {
    if (!this.superblock.sparseSuper || group <= 1) return true;
    return [3, 5, 7].some((base) => {
      let power = base;
      while (power < group) power *= base;
      return power === group;
    });
  }

  /** The first 60 bytes stand in i_block, the rest in the attribute `system.data`. */
  private inlineContent(file: Inode): Uint8Array {
    const rest = inodeAttributes(file.attributeArea, file.offset).find(({ name }) => name === 'system.data');
    const stored = joinBytes([file.block.subarray(0, inlineBytes), rest?.value ?? new Uint8Array(0)]);
    return stored.subarray(0, file.bytes);
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

/** A node of an index looks like one empty entry as long as the block. */
const isIndexNode = (block: Uint8Array): boolean => {
  const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
  return view.getUint32(0, true) === 0 && view.getUint16(4, true) === block.length;
};

/** What follows is a hole. */
const startingWith = (stored: Uint8Array, bytes: number): ByteSource => ({
  bytes,
  read: (offset, length) => {
    const out = new Uint8Array(Math.max(0, Math.min(length, bytes - offset)));
    out.set(stored.subarray(offset, offset + out.length));
    return Promise.resolve(out);
  },
});
