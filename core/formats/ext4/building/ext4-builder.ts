import { utf8 } from '../../../bytes/text.ts';
import {
  BuildError,
  NewTree,
  parentOf,
  pour,
  zeroIn,
  type BlockRun,
  type BuildSink,
  type FileSystemBuilder,
  type NewDirectory,
  type NewFile,
} from '../../file-system/building.ts';
import { BlockMap, setBit } from './block-map.ts';
import { directoryBlocks } from './directory-blocks.ts';
import {
  blockBytes,
  blocksPerGroup,
  Ext4Geometry,
  hasBackup,
  inodeBytes,
  inodesPerBlock,
} from './geometry.ts';
import { extent, extentHeader, extentIndex, extentMagic, superblockOffset } from '../layouts.ts';
import type { Ext4Plan } from './plan.ts';
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

const longestExtent = 32_768;
const rootNumber = 2;
const typeBits = { file: 0x8000, directory: 0x4000, link: 0xa000 } as const;
const entryTypes = { file: 1, directory: 2, link: 7 } as const;

/**
 * Makes an ext4 file system, one file after the other, without a journal (kernel, Documentation/filesystems/ext4).
 * Files lie one behind the other; tables are written at the end, so that nothing counts before `finish`.
 */
export class Ext4Builder implements FileSystemBuilder {
  private readonly geometry: Ext4Geometry;
  private readonly map: BlockMap;
  private readonly inodes = new Map<number, NewInode>();
  private readonly tree = new NewTree(rootNumber);
  private nextNumber = firstNumber;

  constructor(
    private readonly plan: Ext4Plan,
    private readonly sink: BuildSink,
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

  get freeBytes(): number {
    const { blocks } = this.geometry;
    return (blocks - this.map.taken(0, blocks)) * blockBytes;
  }

  async add(file: NewFile): Promise<void> {
    if (file.path === '/') {
      const inode = this.inodes.get(rootNumber)!;
      this.inodes.set(rootNumber, { ...inode, mode: typeBits.directory | file.permissions, file });
      return;
    }
    if (file.type === 'directory') {
      if (!this.tree.directories.has(file.path)) this.makeDirectory(file.path, file);
      else {
        const { number } = this.tree.directories.get(file.path)!;
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
    if (!file.lies) await pour(file, runs, blockBytes, this.sink);
    await this.mapRuns(inode, runs);
  }

  reserve(runs: readonly BlockRun[]): boolean {
    return this.map.reserve(runs);
  }

  link(path: string, to: string): void {
    const number = this.tree.numberOf(to);
    const inode = number === undefined ? undefined : this.inodes.get(number);
    if (number === undefined || !inode)
      throw new BuildError(`${path} is linked to ${to}, which is not there`);
    this.tree.enter(path, number, 'file');
    inode.links++;
  }

  async finish(): Promise<void> {
    for (const directory of this.tree.directories.values()) await this.writeDirectory(directory);
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
      directories: [...this.tree.directories.values()].filter(within).length,
    };
  }

  private makeDirectory(path: string, file: Omit<NewFile, 'path' | 'type'>): void {
    const isRoot = path === '/';
    const number = isRoot ? rootNumber : this.enter(path, 'directory');
    const parent = isRoot ? rootNumber : this.tree.directories.get(parentOf(path))!.number;
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
      throw new BuildError('too many files');
    const number = this.nextNumber;
    this.tree.enter(path, number, type);
    this.nextNumber++;
    return number;
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
    if (leaves > 4) throw new BuildError('a file lies in too many pieces');
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
      ...entries.map((each) => ({ ...each, type: entryTypes[each.type] })),
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
    if (!bytes) throw new BuildError('extended attributes are too large');
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
    await zeroIn(this.sink, rest.at, rest.bytes);
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
