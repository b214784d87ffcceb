import { utf8 } from '../../bytes/text.ts';
import {
  extent,
  extentHeader,
  extentIndex,
  extentMagic,
  groupDescriptor,
  incompat,
  inode as inodeLayout,
  inodeFlags,
  roCompatSparseSuper,
  superblock,
  superblockMagic,
  superblockOffset,
} from './layouts.ts';
import { attributeBlock, inodeArea, type NewAttribute } from './write-attributes.ts';

/** What a new file system is to be. */
export interface Ext4Plan {
  /** Of the device; what does not make whole blocks and groups stays unused. */
  readonly bytes: number;
  readonly volume: string;
  readonly lastMounted: string;
  /** 16 bytes. */
  readonly uuid: Uint8Array;
  /** Seconds since 1970. */
  readonly madeAt: number;
}

/** One file, directory or link that is to be in it. Directories come before what they hold. */
export interface NewFile {
  /** From the root: `/data/example.tidebook`. */
  readonly path: string;
  readonly type: 'file' | 'directory' | 'link';
  readonly permissions: number;
  readonly uid: number;
  readonly gid: number;
  /** Seconds since 1970. */
  readonly modifiedAt: number;
  readonly attributes: readonly NewAttribute[];
  /** Where a symbolic link leads. */
  readonly target?: string;
  /** Of a file: exactly so many bytes come. */
  readonly bytes?: number;
  readonly content?: AsyncIterable<Uint8Array>;
  /** Instead of its content: blocks that were reserved, in which it lies already. */
  readonly lies?: readonly BlockRun[];
}

/** Where it is written to; what is not written stays as it is. */
export interface Ext4Sink {
  write(offset: number, bytes: Uint8Array): Promise<void>;
  /** Parts of the inode tables in which there are no inodes are to read as zeros; left out, these are written. */
  zero?(offset: number, bytes: number): Promise<void>;
}

/** Blocks of 4096 bytes that lie one behind the other. */
export interface BlockRun {
  readonly block: number;
  readonly count: number;
}

/** The new file system has no room for what was to be in it, or what was to be in it makes no sense. */
export class Ext4BuildError extends Error {
  override readonly name = 'Ext4BuildError';
}

interface NewInode {
  readonly mode: number;
  readonly file: Pick<NewFile, 'uid' | 'gid' | 'modifiedAt' | 'attributes'>;
  links: number;
  bytes: number;
  /** 60 bytes of i_block. */
  block: Uint8Array;
  /** Blocks that belong to it, those of its tree and attributes included. */
  blocks: number;
  usesExtents: boolean;
  attributeBlock: number;
}

interface NewDirectory {
  readonly number: number;
  readonly parent: number;
  readonly entries: { readonly name: string; readonly number: number; readonly type: number }[];
}

const blockBytes = 4096;
const blocksPerGroup = blockBytes * 8;
const inodeBytes = 256;
const extraBytes = 32;
const areaBytes = inodeBytes - 128 - extraBytes;
const inodesPerBlock = blockBytes / inodeBytes;
/** As mke2fs does it for file systems of usual size. */
const bytesPerInode = 16_384;
const descriptorBytes = 32;
const longestExtent = 32_768;
const rootNumber = 2;
const firstNumber = 11;
const typeBits = { file: 0x8000, directory: 0x4000, link: 0xa000 } as const;
const entryTypes = { file: 1, directory: 2, link: 7 } as const;
const compatExtAttr = 0x8;
const roCompatLargeFile = 0x2;
const roCompatExtraIsize = 0x40;
const mountUserXattrAcl = 0xc;

/**
 * Makes an ext4 file system, one file after the other, without a journal (kernel, Documentation/filesystems/ext4).
 * Files lie one behind the other; tables are written at the end, so that nothing counts before `finish`.
 */
export class Ext4Builder {
  private readonly blocks: number;
  private readonly groups: number;
  private readonly inodesPerGroup: number;
  private readonly descriptorBlocks: number;
  private readonly tableBlocks: number;
  private readonly inodes = new Map<number, NewInode>();
  private readonly directories = new Map<string, NewDirectory>();
  private readonly numbers = new Map<string, number>();
  private readonly used: Uint8Array;
  private nextNumber = firstNumber;
  /** Everything before it is taken. */
  private nextBlock = 0;

  constructor(
    private readonly plan: Ext4Plan,
    private readonly sink: Ext4Sink,
  ) {
    let blocks = Math.floor(plan.bytes / blockBytes);
    const inodes = Math.max(64, Math.floor(plan.bytes / bytesPerInode));
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
    if (blocks < overhead(this.groups) + 16) throw new Ext4BuildError(`${plan.bytes} bytes are too few`);
    this.used = new Uint8Array(this.groups * (blocksPerGroup / 8));
    for (let group = 0; group < this.groups; group++) {
      this.take(group * blocksPerGroup, this.dataStart(group) - group * blocksPerGroup);
    }
    this.makeDirectory('/', {
      permissions: 0o755,
      uid: 0,
      gid: 0,
      modifiedAt: plan.madeAt,
      attributes: [],
    });
    this.makeDirectory('/lost+found', {
      permissions: 0o700,
      uid: 0,
      gid: 0,
      modifiedAt: plan.madeAt,
      attributes: [],
    });
  }

  /** Bytes that are still free for contents. */
  get freeBytes(): number {
    return (this.blocks - this.usedBlocks(0, this.blocks)) * blockBytes;
  }

  /** @throws Ext4BuildError when it does not fit, or has no directory to lie in */
  async add(file: NewFile): Promise<void> {
    if (file.path === '/') {
      const inode = this.inodes.get(rootNumber)!;
      this.inodes.set(rootNumber, { ...inode, mode: typeBits.directory | file.permissions, file });
      return;
    }
    if (file.type === 'directory') {
      if (!this.directories.has(file.path)) this.makeDirectory(file.path, file);
      else {
        const { number } = this.directories.get(file.path)!;
        const inode = this.inodes.get(number)!;
        this.inodes.set(number, { ...inode, mode: typeBits.directory | file.permissions, file });
      }
      return;
    }
    const number = this.enter(file.path, file.type);
    const inode = this.newInode(file.type, file);
    this.inodes.set(number, inode);
    if (file.type === 'link') return this.addTarget(inode, file);
    inode.bytes = file.bytes ?? 0;
    const runs = file.lies ?? this.allocate(Math.ceil(inode.bytes / blockBytes));
    if (!file.lies) await this.pour(file, runs);
    await this.map(inode, runs);
  }

  /**
   * Sets blocks aside in which a file lies already; to be called before anything is added.
   * @returns false where they are not free: nothing is set aside then
   */
  reserve(runs: readonly BlockRun[]): boolean {
    for (const { block, count } of runs) {
      for (let i = 0; i < count; i++)
        if (block + i >= this.blocks || isSet(this.used, block + i)) return false;
    }
    for (const { block, count } of runs) this.take(block, count);
    return true;
  }

  /** Gives a file that is there already another name. @throws Ext4BuildError when there is none */
  link(path: string, to: string): void {
    const number = this.numbers.get(to);
    const inode = number === undefined ? undefined : this.inodes.get(number);
    if (number === undefined || !inode)
      throw new Ext4BuildError(`${path} is linked to ${to}, which is not there`);
    this.enterAs(path, number, entryTypes.file);
    inode.links++;
  }

  /** Writes directories, attributes and tables: only now is it a file system. */
  async finish(): Promise<void> {
    for (const directory of this.directories.values()) await this.writeDirectory(directory);
    for (const inode of this.inodes.values()) await this.writeAttributes(inode);
    for (let group = 0; group < this.groups; group++) await this.writeGroup(group);
    const free = Array.from({ length: this.groups }, (_, group) => {
      const from = group * blocksPerGroup;
      const to = Math.min(this.blocks, from + blocksPerGroup);
      return to - from - this.usedBlocks(from, to);
    });
    const head = this.descriptors(free);
    for (let group = this.groups - 1; group >= 0; group--) {
      if (!hasBackup(group)) continue;
      await this.sink.write((group * blocksPerGroup + 1) * blockBytes, head);
      await this.sink.write(
        group * blocksPerGroup * blockBytes + (group === 0 ? superblockOffset : 0),
        this.superblock(group, free),
      );
    }
  }

  private makeDirectory(path: string, file: Omit<NewFile, 'path' | 'type'>): void {
    const isRoot = path === '/';
    const number = isRoot ? rootNumber : this.enter(path, 'directory');
    const parent = isRoot ? rootNumber : this.directories.get(parentOf(path))!.number;
    this.directories.set(path, { number, parent, entries: [] });
    const inode = this.newInode('directory', file);
    inode.links = 2;
    this.inodes.set(number, inode);
    if (!isRoot) this.inodes.get(parent)!.links++;
  }

  private newInode(type: NewFile['type'], file: Omit<NewFile, 'path' | 'type'>): NewInode {
    return {
      mode: typeBits[type] | (file.permissions & 0xfff),
      file,
      links: 1,
      bytes: 0,
      block: new Uint8Array(60),
      blocks: 0,
      usesExtents: false,
      attributeBlock: 0,
    };
  }

  private enter(path: string, type: NewFile['type']): number {
    if (this.nextNumber > this.groups * this.inodesPerGroup) throw new Ext4BuildError('too many files');
    const number = this.nextNumber;
    this.enterAs(path, number, entryTypes[type]);
    this.nextNumber++;
    return number;
  }

  private enterAs(path: string, number: number, type: number): void {
    const directory = this.directories.get(parentOf(path));
    const name = path.slice(path.lastIndexOf('/') + 1);
    if (!directory) throw new Ext4BuildError(`${path} lies in no directory`);
    if (name === '' || name === '.' || name === '..' || utf8(name).length > 255)
      throw new Ext4BuildError(`${path} is no name`);
    if (this.numbers.has(path)) throw new Ext4BuildError(`${path} is there twice`);
    this.numbers.set(path, number);
    directory.entries.push({ name, number, type });
  }

  private async addTarget(inode: NewInode, { target = '' }: NewFile): Promise<void> {
    const bytes = utf8(target);
    inode.bytes = bytes.length;
    if (bytes.length < 60) {
      inode.block.set(bytes);
      return;
    }
    const runs = this.allocate(1);
    const block = new Uint8Array(blockBytes);
    block.set(bytes);
    await this.sink.write(runs[0]!.block * blockBytes, block);
    await this.map(inode, runs);
  }

  /** Writes a file's bytes into its blocks, the last one filled up with zeros. */
  private async pour(file: NewFile, runs: readonly BlockRun[]): Promise<void> {
    let [index, within, done] = [0, 0, 0];
    const size = file.bytes ?? 0;
    const place = async (bytes: Uint8Array): Promise<void> => {
      for (let at = 0; at < bytes.length;) {
        const run = runs[index];
        if (!run) throw new Ext4BuildError(`${file.path} has more bytes than the ${size} it said`);
        const part = bytes.subarray(at, at + run.count * blockBytes - within);
        await this.sink.write(run.block * blockBytes + within, part);
        at += part.length;
        within += part.length;
        if (within === run.count * blockBytes) [index, within] = [index + 1, 0];
      }
    };
    for await (const part of file.content ?? []) {
      done += part.length;
      if (done > size) throw new Ext4BuildError(`${file.path} has more bytes than the ${size} it said`);
      await place(part);
    }
    if (done < size) throw new Ext4BuildError(`${file.path} ended after ${done} of ${size} bytes`);
    if (size % blockBytes !== 0) await place(new Uint8Array(blockBytes - (size % blockBytes)));
  }

  /** Enters where a file lies: in the inode itself, or in blocks of the tree. */
  private async map(inode: NewInode, runs: readonly BlockRun[]): Promise<void> {
    const extents: { at: number; run: BlockRun }[] = [];
    let at = 0;
    for (const run of runs) {
      for (let done = 0; done < run.count; done += longestExtent) {
        const count = Math.min(longestExtent, run.count - done);
        extents.push({ at, run: { block: run.block + done, count } });
        at += count;
      }
    }
    inode.usesExtents = true;
    inode.blocks += runs.reduce((sum, { count }) => sum + count, 0);
    const leaf = (into: Uint8Array, some: typeof extents, most: number) => {
      extentHeader.write(into, 0, header(some.length, most, 0));
      some.forEach((each, i) =>
        extent.write(into, extentHeader.bytes * (i + 1), {
          ee_block: each.at,
          ee_len: each.run.count,
          ee_start_hi: 0,
          ee_start_lo: each.run.block,
        }),
      );
    };
    if (extents.length <= 4) {
      leaf(inode.block, extents, 4);
      return;
    }
    const perLeaf = Math.floor((blockBytes - extentHeader.bytes) / extent.bytes);
    const leaves = Math.ceil(extents.length / perLeaf);
    if (leaves > 4) throw new Ext4BuildError('a file lies in too many pieces');
    extentHeader.write(inode.block, 0, header(leaves, 4, 1));
    for (let i = 0; i < leaves; i++) {
      const some = extents.slice(i * perLeaf, (i + 1) * perLeaf);
      const [{ block }] = this.allocate(1) as [BlockRun];
      inode.blocks++;
      const bytes = new Uint8Array(blockBytes);
      leaf(bytes, some, perLeaf);
      await this.sink.write(block * blockBytes, bytes);
      extentIndex.write(inode.block, extentHeader.bytes * (i + 1), {
        ei_block: some[0]!.at,
        ei_leaf_lo: block,
        ei_leaf_hi: 0,
        ei_unused: 0,
      });
    }
  }

  private async writeDirectory({ number, parent, entries }: NewDirectory): Promise<void> {
    const all = [
      { name: '.', number, type: entryTypes.directory },
      { name: '..', number: parent, type: entryTypes.directory },
      ...entries,
    ];
    const blocks: Uint8Array[] = [];
    let view: DataView | undefined;
    let at = 0;
    let last = 0;
    const close = () => view?.setUint16(last + 4, blockBytes - last, true);
    for (const { name, number: of, type } of all) {
      const bytes = utf8(name);
      const needed = (8 + bytes.length + 3) & ~3;
      if (!view || at + needed > blockBytes) {
        close();
        const block = new Uint8Array(blockBytes);
        blocks.push(block);
        view = new DataView(block.buffer);
        at = 0;
      }
      view.setUint32(at, of, true);
      view.setUint16(at + 4, needed, true);
      view.setUint8(at + 6, bytes.length);
      view.setUint8(at + 7, type);
      blocks.at(-1)!.set(bytes, at + 8);
      last = at;
      at += needed;
    }
    close();
    const inode = this.inodes.get(number)!;
    inode.bytes = blocks.length * blockBytes;
    const runs = this.allocate(blocks.length);
    let i = 0;
    for (const run of runs) {
      for (let n = 0; n < run.count; n++) await this.sink.write((run.block + n) * blockBytes, blocks[i++]!);
    }
    await this.map(inode, runs);
  }

  /** Attributes that do not fit behind their inode get a block of their own. */
  private async writeAttributes(inode: NewInode): Promise<void> {
    const { attributes } = inode.file;
    if (attributes.length === 0 || inodeArea(attributes, areaBytes)) return;
    const bytes = attributeBlock(attributes);
    if (!bytes) throw new Ext4BuildError('extended attributes are too large');
    const [{ block }] = this.allocate(1) as [BlockRun];
    inode.attributeBlock = block;
    inode.blocks++;
    await this.sink.write(block * blockBytes, bytes);
  }

  private async writeGroup(group: number): Promise<void> {
    const start = group * blocksPerGroup;
    const tables = this.tablesStart(group);
    const bitmap = Uint8Array.from(this.used.subarray(start / 8, start / 8 + blockBytes));
    for (let block = this.blocks; block < start + blocksPerGroup; block++) setBit(bitmap, block - start);
    await this.sink.write(tables * blockBytes, bitmap);
    const inodeBitmap = new Uint8Array(blockBytes).fill(0xff, this.inodesPerGroup / 8);
    const first = group * this.inodesPerGroup + 1;
    const inodes = Math.max(0, Math.min(this.nextNumber - first, this.inodesPerGroup));
    const table = new Uint8Array(Math.ceil(inodes / inodesPerBlock) * blockBytes);
    for (let i = 0; i < inodes; i++) {
      // The first ones are taken, though most of them are nothing.
      setBit(inodeBitmap, i);
      const inode = this.inodes.get(first + i);
      if (inode) this.writeInode(table.subarray(i * inodeBytes, (i + 1) * inodeBytes), inode);
    }
    await this.sink.write((tables + 1) * blockBytes, inodeBitmap);
    if (table.length > 0) await this.sink.write((tables + 2) * blockBytes, table);
    const rest = {
      at: (tables + 2) * blockBytes + table.length,
      bytes: this.tableBlocks * blockBytes - table.length,
    };
    if (this.sink.zero) await this.sink.zero(rest.at, rest.bytes);
    else await this.sink.write(rest.at, new Uint8Array(rest.bytes));
  }

  private writeInode(into: Uint8Array, inode: NewInode): void {
    const { file } = inode;
    const time = file.modifiedAt >>> 0;
    inodeLayout.write(into, 0, {
      i_mode: inode.mode,
      i_uid: file.uid & 0xffff,
      i_size_lo: inode.bytes >>> 0,
      i_atime: time,
      i_ctime: time,
      i_mtime: time,
      i_dtime: 0,
      i_gid: file.gid & 0xffff,
      i_links_count: inode.links,
      i_blocks_lo: inode.blocks * (blockBytes / 512),
      i_flags: inode.usesExtents ? inodeFlags.extents : 0,
      i_version: 0,
      i_block: inode.block,
      i_generation: 0,
      i_file_acl_lo: inode.attributeBlock,
      i_size_high: Math.floor(inode.bytes / 2 ** 32),
      i_obso_faddr: 0,
      i_blocks_high: 0,
      i_file_acl_high: 0,
      i_uid_high: file.uid >>> 16,
      i_gid_high: file.gid >>> 16,
      i_checksum_lo: 0,
      i_reserved: 0,
    });
    const view = new DataView(into.buffer, into.byteOffset, into.byteLength);
    view.setUint16(128, extraBytes, true);
    // Of i_ctime_extra, i_mtime_extra and i_atime_extra, the bits beyond 32 of the seconds.
    const epoch = Math.floor(file.modifiedAt / 2 ** 32) & 3;
    for (const at of [132, 136, 140]) view.setUint32(at, epoch, true);
    view.setUint32(144, time, true);
    const area = inode.attributeBlock === 0 && inodeArea(file.attributes, areaBytes);
    if (area) into.set(area, 128 + extraBytes);
  }

  private descriptors(free: readonly number[]): Uint8Array {
    const bytes = new Uint8Array(this.descriptorBlocks * blockBytes);
    const directoryNumbers = [...this.directories.values()].map(({ number }) => number);
    for (let group = 0; group < this.groups; group++) {
      const tables = this.tablesStart(group);
      const first = group * this.inodesPerGroup + 1;
      const within = (number: number) => number >= first && number < first + this.inodesPerGroup;
      groupDescriptor.write(bytes, group * descriptorBytes, {
        bg_block_bitmap_lo: tables,
        bg_inode_bitmap_lo: tables + 1,
        bg_inode_table_lo: tables + 2,
        bg_free_blocks_count_lo: free[group]!,
        bg_free_inodes_count_lo: this.inodesPerGroup - this.inodesIn(group),
        bg_used_dirs_count_lo: directoryNumbers.filter(within).length,
        bg_flags: 0,
        bg_exclude_bitmap_lo: 0,
        bg_block_bitmap_csum_lo: 0,
        bg_inode_bitmap_csum_lo: 0,
        bg_itable_unused_lo: 0,
        bg_checksum: 0,
      });
    }
    return bytes;
  }

  private superblock(group: number, free: readonly number[]): Uint8Array {
    const { plan } = this;
    const bytes = new Uint8Array(superblock.bytes);
    // What is not named is zero.
    const rest = superblock.read(bytes);
    let [freeBlocks, freeInodes] = [0, 0];
    for (let each = 0; each < this.groups; each++) {
      freeBlocks += free[each]!;
      freeInodes += this.inodesPerGroup - this.inodesIn(each);
    }
    superblock.write(bytes, 0, {
      ...rest,
      s_inodes_count: this.groups * this.inodesPerGroup,
      s_blocks_count_lo: this.blocks,
      s_free_blocks_count_lo: freeBlocks,
      s_free_inodes_count: freeInodes,
      s_log_block_size: 2,
      s_log_cluster_size: 2,
      s_blocks_per_group: blocksPerGroup,
      s_clusters_per_group: blocksPerGroup,
      s_inodes_per_group: this.inodesPerGroup,
      s_wtime: plan.madeAt,
      s_max_mnt_count: 0xffff,
      s_magic: superblockMagic,
      s_state: 1,
      s_errors: 1,
      s_lastcheck: plan.madeAt,
      s_rev_level: 1,
      s_first_ino: firstNumber,
      s_inode_size: inodeBytes,
      s_block_group_nr: group,
      s_feature_compat: compatExtAttr,
      s_feature_incompat: incompat.filetype | incompat.extents,
      s_feature_ro_compat: roCompatSparseSuper | roCompatLargeFile | roCompatExtraIsize,
      s_uuid: plan.uuid,
      s_volume_name: plan.volume,
      s_last_mounted: plan.lastMounted,
      s_def_hash_version: 1,
      s_default_mount_opts: mountUserXattrAcl,
      s_mkfs_time: plan.madeAt,
      s_min_extra_isize: extraBytes,
      s_want_extra_isize: extraBytes,
    });
    return bytes;
  }

  private tablesStart(group: number): number {
    return group * blocksPerGroup + (hasBackup(group) ? 1 + this.descriptorBlocks : 0);
  }

  private dataStart(group: number): number {
    return this.tablesStart(group) + 2 + this.tableBlocks;
  }

  private take(block: number, count: number): void {
    for (let i = 0; i < count; i++) setBit(this.used, block + i);
  }

  /** The next free blocks, in as few pieces as the tables between them allow. */
  private allocate(count: number): BlockRun[] {
    const runs: { block: number; count: number }[] = [];
    for (let left = count; left > 0;) {
      while (this.nextBlock < this.blocks && isSet(this.used, this.nextBlock)) this.nextBlock++;
      if (this.nextBlock >= this.blocks) throw new Ext4BuildError('No space left on device');
      const from = this.nextBlock;
      while (left > 0 && this.nextBlock < this.blocks && !isSet(this.used, this.nextBlock)) {
        setBit(this.used, this.nextBlock++);
        left--;
      }
      runs.push({ block: from, count: this.nextBlock - from });
    }
    return runs;
  }

  private usedBlocks(from: number, to: number): number {
    let found = 0;
    for (let block = from; block < to; block++) {
      // Most of a device is free or taken by whole bytes.
      const byte = block % 8 === 0 && block + 8 <= to ? this.used[block / 8] : undefined;
      if (byte === 0 || byte === 0xff) {
        found += byte === 0 ? 0 : 8;
        block += 7;
      } else if (isSet(this.used, block)) found++;
    }
    return found;
  }

  private inodesIn(group: number): number {
    const first = group * this.inodesPerGroup + 1;
    const end = first + this.inodesPerGroup;
    return Math.max(0, Math.min(end, this.nextNumber) - first);
  }
}

const header = (entries: number, most: number, depth: number) => ({
  eh_magic: extentMagic,
  eh_entries: entries,
  eh_max: most,
  eh_depth: depth,
  eh_generation: 0,
});

/** Groups with copies of the superblock: 0, 1 and powers of 3, 5 and 7 (feature sparse_super). */
function hasBackup(group: number): boolean {
  if (group <= 1) return true;
  return [3, 5, 7].some((base) => {
    let power = base;
    while (power < group) power *= base;
    return power === group;
  });
}

const parentOf = (path: string) => path.slice(0, path.lastIndexOf('/')) || '/';
const setBit = (bits: Uint8Array, i: number) => void (bits[i >> 3]! |= 1 << (i & 7));
const isSet = (bits: Uint8Array, i: number) => (bits[i >> 3]! & (1 << (i & 7))) !== 0;
