import { utf8 } from '../../../bytes/text.ts';
import { BlockMap, setBit, type BlockRun } from './block-map.ts';
import { Ext4BuildError } from './build-error.ts';
import { directoryBlocks, type DirectoryEntry } from './directory-blocks.ts';
import {
  blockBytes,
  blocksPerGroup,
  Ext4Geometry,
  hasBackup,
  inodeBytes,
  inodesPerBlock,
} from './geometry.ts';
import { extent, extentHeader, extentIndex, extentMagic, superblockOffset } from '../layouts.ts';
import type { Ext4Plan, Ext4Sink, NewFile } from './plan.ts';
import {
  areaBytes,
  descriptorsOf,
  firstNumber,
  superblockOf,
  writeInode,
  type GroupCounts,
  type NewInode,
} from './tables.ts';
import { attributeBlock, inodeArea } from './write-attributes.ts';

interface NewDirectory {
  readonly number: number;
  readonly parent: number;
  readonly entries: DirectoryEntry[];
}

const longestExtent = 32_768;
const rootNumber = 2;
const typeBits = { file: 0x8000, directory: 0x4000, link: 0xa000 } as const;
const entryTypes = { file: 1, directory: 2, link: 7 } as const;

/**
 * Makes an ext4 file system, one file after the other, without a journal (kernel, Documentation/filesystems/ext4).
 * Files lie one behind the other; tables are written at the end, so that nothing counts before `finish`.
 */
export class Ext4Builder {
  private readonly geometry: Ext4Geometry;
  private readonly map: BlockMap;
  private readonly inodes = new Map<number, NewInode>();
  private readonly directories = new Map<string, NewDirectory>();
  private readonly numbers = new Map<string, number>();
  private nextNumber = firstNumber;

  constructor(
    private readonly plan: Ext4Plan,
    private readonly sink: Ext4Sink,
  ) {
    this.geometry = new Ext4Geometry(plan.bytes);
    this.map = new BlockMap(this.geometry);
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
    const { blocks } = this.geometry;
    return (blocks - this.map.taken(0, blocks)) * blockBytes;
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
    const runs = file.lies ?? this.map.allocate(Math.ceil(inode.bytes / blockBytes));
    if (!file.lies) await this.pour(file, runs);
    await this.mapRuns(inode, runs);
  }

  /**
   * Sets blocks aside in which a file lies already; to be called before anything is added.
   * @returns false where they are not free: nothing is set aside then
   */
  reserve(runs: readonly BlockRun[]): boolean {
    return this.map.reserve(runs);
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
    const { groups } = this.geometry;
    for (let group = 0; group < groups; group++) await this.writeGroup(group);
    const counts = Array.from({ length: groups }, (_, group) => this.countsOf(group));
    const head = descriptorsOf(this.geometry, counts);
    for (let group = groups - 1; group >= 0; group--) {
      if (!hasBackup(group)) continue;
      await this.sink.write((group * blocksPerGroup + 1) * blockBytes, head);
      await this.sink.write(
        group * blocksPerGroup * blockBytes + (group === 0 ? superblockOffset : 0),
        superblockOf(this.plan, this.geometry, counts, group),
      );
    }
  }

  private countsOf(group: number): GroupCounts {
    const { blocks, inodesPerGroup } = this.geometry;
    const from = group * blocksPerGroup;
    const to = Math.min(blocks, from + blocksPerGroup);
    const first = group * inodesPerGroup + 1;
    const within = ({ number }: NewDirectory) => number >= first && number < first + inodesPerGroup;
    return {
      freeBlocks: to - from - this.map.taken(from, to),
      freeInodes: inodesPerGroup - this.inodesIn(group),
      directories: [...this.directories.values()].filter(within).length,
    };
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
    if (this.nextNumber > this.geometry.groups * this.geometry.inodesPerGroup)
      throw new Ext4BuildError('too many files');
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
      throw new Ext4BuildError(`${path} is not a name`);
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
    const runs = this.map.allocate(1);
    const block = new Uint8Array(blockBytes);
    block.set(bytes);
    await this.sink.write(runs[0]!.block * blockBytes, block);
    await this.mapRuns(inode, runs);
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
  private async mapRuns(inode: NewInode, runs: readonly BlockRun[]): Promise<void> {
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
      const [{ block }] = this.map.allocate(1) as [BlockRun];
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
    const blocks = directoryBlocks(all);
    const inode = this.inodes.get(number)!;
    inode.bytes = blocks.length * blockBytes;
    const runs = this.map.allocate(blocks.length);
    let i = 0;
    for (const run of runs) {
      for (let n = 0; n < run.count; n++) await this.sink.write((run.block + n) * blockBytes, blocks[i++]!);
    }
    await this.mapRuns(inode, runs);
  }

  /** Attributes that do not fit behind their inode get a block of their own. */
  private async writeAttributes(inode: NewInode): Promise<void> {
    const { attributes } = inode.file;
    if (attributes.length === 0 || inodeArea(attributes, areaBytes)) return;
    const bytes = attributeBlock(attributes);
    if (!bytes) throw new Ext4BuildError('extended attributes are too large');
    const [{ block }] = this.map.allocate(1) as [BlockRun];
    inode.attributeBlock = block;
    inode.blocks++;
    await this.sink.write(block * blockBytes, bytes);
  }

  private async writeGroup(group: number): Promise<void> {
    const { inodesPerGroup, tableBlocks } = this.geometry;
    const tables = this.geometry.tablesStart(group);
    await this.sink.write(tables * blockBytes, this.map.bitmap(group));
    const inodeBitmap = new Uint8Array(blockBytes).fill(0xff, inodesPerGroup / 8);
    const first = group * inodesPerGroup + 1;
    const inodes = this.inodesIn(group);
    const table = new Uint8Array(Math.ceil(inodes / inodesPerBlock) * blockBytes);
    for (let i = 0; i < inodes; i++) {
      // The first ones are taken, though most of them are nothing.
      setBit(inodeBitmap, i);
      const inode = this.inodes.get(first + i);
      if (inode) writeInode(table.subarray(i * inodeBytes, (i + 1) * inodeBytes), inode);
    }
    await this.sink.write((tables + 1) * blockBytes, inodeBitmap);
    if (table.length > 0) await this.sink.write((tables + 2) * blockBytes, table);
    const rest = {
      at: (tables + 2) * blockBytes + table.length,
      bytes: tableBlocks * blockBytes - table.length,
    };
    if (this.sink.zero) await this.sink.zero(rest.at, rest.bytes);
    else await this.sink.write(rest.at, new Uint8Array(rest.bytes));
  }

  private inodesIn(group: number): number {
    const { inodesPerGroup } = this.geometry;
    return Math.max(0, Math.min(this.nextNumber - (group * inodesPerGroup + 1), inodesPerGroup));
  }
}

const header = (entries: number, most: number, depth: number) => ({
  eh_magic: extentMagic,
  eh_entries: entries,
  eh_max: most,
  eh_depth: depth,
  eh_generation: 0,
});

const parentOf = (path: string) => path.slice(0, path.lastIndexOf('/')) || '/';
