import { utf8 } from '../../../bytes/text.ts';
import { viewOf } from '../../../bytes/layout.ts';
import {
  BuildError,
  NewTree,
  parentOf,
  pour,
  type BlockRun,
  type BuildSink,
  type FileSystemBuilder,
  type FileSystemPlan,
  type NewFile,
} from '../../file-system/building.ts';
import {
  addressesAt,
  addressesPerInode,
  addressesPerNode,
  blockBytes,
  defaultInlineAttributeWords,
  inlineFlags,
  inode,
  nodeFooterBytes,
} from '../layouts.ts';
import { attributeArea } from './attribute-area.ts';
import { blocksOfDirectory } from './entries.ts';
import { F2fsGeometry, logs } from './geometry.ts';
import { MainArea } from './main-area.ts';
import {
  rootNumber,
  writeCheckpoints,
  writeNodeTable,
  writeSegmentTable,
  writeSummaries,
  writeSuperblocks,
  type NodeEntry,
} from './tables.ts';

const typeBits = { file: 0x8000, directory: 0x4000, link: 0xa000 } as const;
/** The node of attributes comes behind all others (XATTR_NODE_OFFSET). */
const attributeNodeAt = 0x1fffffff;
/** Not of a directory. */
const coldNode = 1;
const inlineAttributeBytes = defaultInlineAttributeWords * 4;
const nodeBytes = blockBytes - nodeFooterBytes;
const longestLink = 4095;

interface NewInode {
  readonly number: number;
  file: Omit<NewFile, 'path' | 'type'>;
  readonly type: NewFile['type'];
  readonly path: string;
  links: number;
  bytes: number;
  depth: number;
  /** Of its blocks, in order; zero for a hole. */
  addresses: Uint32Array;
}

/**
 * Makes an f2fs as it is after it was unmounted, one file after the other: no inline data, no quotas, no
 * encryption (kernel, Documentation/filesystems/f2fs.rst, include/linux/f2fs_fs.h). Tables are written at the end, so that nothing
 * counts before `finish`.
 */
export class F2fsBuilder implements FileSystemBuilder {
  private readonly geometry: F2fsGeometry;
  private readonly area: MainArea;
  private readonly tree = new NewTree(rootNumber);
  private readonly inodes = new Map<number, NewInode>();
  private readonly nodes = new Map<number, NodeEntry>();
  private nextNumber = rootNumber + 1;

  constructor(
    private readonly plan: FileSystemPlan,
    private readonly sink: BuildSink,
  ) {
    this.geometry = new F2fsGeometry(plan.bytes);
    this.area = new MainArea(this.geometry);
    const { madeAt: modifiedAt } = plan;
    const root = { permissions: 0o755, uid: 0, gid: 0, modifiedAt, attributes: [] };
    this.inodes.set(rootNumber, this.newInode(rootNumber, { ...root, path: '/', type: 'directory' }));
  }

  get freeBytes(): number {
    return this.area.freeBlocks * blockBytes;
  }

  async add(file: NewFile): Promise<void> {
    const there = file.type === 'directory' ? this.tree.directories.get(file.path) : undefined;
    if (there) {
      this.inodes.get(there.number)!.file = file;
      return;
    }
    const number = this.newNumber();
    this.tree.enter(file.path, number, file.type);
    const made = this.newInode(number, file);
    this.inodes.set(number, made);
    if (file.type === 'directory')
      this.inodes.get(this.tree.directories.get(parentOf(file.path))!.number)!.links++;
    else if (file.type === 'link') await this.addTarget(made, file);
    else {
      made.bytes = file.bytes ?? 0;
      const runs = file.lies ?? this.area.allocate('data', Math.ceil(made.bytes / blockBytes));
      if (!file.lies) await pour(file, runs, blockBytes, this.sink);
      made.addresses = addressesOf(runs);
    }
  }

  reserve(runs: readonly BlockRun[]): boolean {
    return this.area.reserve(runs);
  }

  link(path: string, to: string): void {
    const number = this.tree.numberOf(to);
    const found = number === undefined ? undefined : this.inodes.get(number);
    if (number === undefined || !found)
      throw new BuildError(`${path} is linked to ${to}, which is not there`);
    this.tree.enter(path, number, 'file');
    found.links++;
  }

  async finish(): Promise<void> {
    for (const directory of this.tree.directories.values()) {
      const made = this.inodes.get(directory.number)!;
      const { blocks, depth } = blocksOfDirectory(directory);
      const last = Math.max(...blocks.keys());
      made.depth = depth;
      made.bytes = (last + 1) * blockBytes;
      made.addresses = new Uint32Array(last + 1);
      for (const [at, bytes] of blocks) {
        const [{ block }] = this.area.allocate('data', 1) as [BlockRun];
        await this.sink.write(block * blockBytes, bytes);
        made.addresses[at] = block;
      }
    }
    const inodes = this.inodes.size;
    for (const each of this.inodes.values()) await this.writeInode(each);
    const open = this.area.empty().slice(0, logs);
    const { sink, geometry, area } = this;
    await writeSummaries(sink, geometry, area);
    await writeNodeTable(sink, geometry, this.nodes);
    await writeSegmentTable(sink, geometry, area, open);
    const counts = {
      version: BigInt(this.plan.madeAt) | 1n,
      nodes: this.nodes.size,
      inodes,
      nextNode: this.nextNumber,
    };
    await writeCheckpoints(sink, geometry, area, open, counts);
    await writeSuperblocks(sink, this.plan, geometry);
  }

  private newInode(number: number, file: NewFile): NewInode {
    const { path, type } = file;
    const links = type === 'directory' ? 2 : 1;
    return { number, file, type, path, links, bytes: 0, depth: 1, addresses: new Uint32Array() };
  }

  private newNumber(): number {
    if (this.nextNumber >= this.geometry.nodes) throw new BuildError('too many files');
    return this.nextNumber++;
  }

  private async addTarget(made: NewInode, { path, target = '' }: NewFile): Promise<void> {
    const bytes = utf8(target);
    if (bytes.length === 0 || bytes.length > longestLink) throw new BuildError(`${path} leads nowhere`);
    made.bytes = bytes.length;
    const runs = this.area.allocate('data', 1);
    const block = new Uint8Array(blockBytes);
    block.set(bytes);
    await this.sink.write(runs[0]!.block * blockBytes, block);
    made.addresses = addressesOf(runs);
  }

  /** Its addresses first, as far as they do not stand in it. */
  private async writeInode(made: NewInode): Promise<void> {
    const { number, file, type, path, links, bytes, depth, addresses } = made;
    const attributes = attributeArea(file.attributes, inlineAttributeBytes + nodeBytes);
    const hasAttributes = attributes !== undefined;
    const places = addressesPerInode - (hasAttributes ? defaultInlineAttributeWords : 0);
    const nodesBefore = this.nodes.size;
    const children = await this.writeAddresses(made, addresses.subarray(places));
    let attributeNode = 0;
    if (attributes && attributes.length > inlineAttributeBytes) {
      attributeNode = this.newNumber();
      await this.writeNode(attributeNode, made, attributeNodeAt, attributes.subarray(inlineAttributeBytes));
    }
    const node = new Uint8Array(nodeBytes);
    const name = utf8(path.slice(path.lastIndexOf('/') + 1));
    const time = BigInt(file.modifiedAt);
    const blocks = addresses.reduce((sum, address) => sum + (address === 0 ? 0 : 1), 0);
    inode.write(node, 0, {
      i_mode: typeBits[type] | (file.permissions & 0xfff),
      i_advise: 0,
      i_inline: hasAttributes ? inlineFlags.attributes : 0,
      i_uid: file.uid,
      i_gid: file.gid,
      i_links: links,
      i_size: BigInt(bytes),
      i_blocks: BigInt(blocks + this.nodes.size - nodesBefore + 1),
      i_atime: time,
      i_ctime: time,
      i_mtime: time,
      i_atime_nsec: 0,
      i_ctime_nsec: 0,
      i_mtime_nsec: 0,
      i_generation: 0,
      i_current_depth: type === 'directory' ? depth : 0,
      i_xattr_nid: attributeNode,
      i_flags: 0,
      i_pino: this.tree.directories.get(parentOf(path))!.number,
      i_namelen: name.length,
      i_name: padded(name, 255),
      i_dir_level: 0,
      i_ext: new Uint8Array(12),
    });
    const view = viewOf(node);
    for (const [i, address] of addresses.subarray(0, places).entries()) {
      view.setUint32(addressesAt + i * 4, address, true);
      if (address !== 0) this.area.own(address, number, i);
    }
    if (attributes) node.set(attributes.subarray(0, inlineAttributeBytes), addressesAt + places * 4);
    for (const [i, child] of children.entries())
      view.setUint32(addressesAt + (addressesPerInode + i) * 4, child, true);
    await this.writeNode(number, made, 0, node);
  }

  /** Nodes of addresses: two that hold them, then two that hold such nodes. @returns their numbers */
  private async writeAddresses(made: NewInode, addresses: Uint32Array): Promise<number[]> {
    const groups = Math.ceil(addresses.length / addressesPerNode);
    if (groups > 2 + 2 * addressesPerNode) throw new BuildError(`${made.path} is too large`);
    const direct = (i: number, at: number) =>
      this.writeDirect(made, at, addresses.subarray(i * addressesPerNode, (i + 1) * addressesPerNode));
    // Most files are small.
    if (groups === 0) return [];
    const children = [await direct(0, 1), groups > 1 ? await direct(1, 2) : 0];
    for (let i = 0; i < 2; i++) {
      const [first, at] = [2 + i * addressesPerNode, 3 + i * (addressesPerNode + 1)];
      const node = new Uint8Array(nodeBytes);
      const view = viewOf(node);
      let isEmpty = true;
      for (let child = 0; child < Math.min(addressesPerNode, groups - first); child++) {
        const number = await direct(first + child, at + 1 + child);
        view.setUint32(child * 4, number, true);
        isEmpty &&= number === 0;
      }
      const number = isEmpty ? 0 : this.newNumber();
      if (!isEmpty) await this.writeNode(number, made, at, node);
      children.push(number);
    }
    return children;
  }

  /** @returns the number of the node; 0 where there are no addresses */
  private async writeDirect(made: NewInode, at: number, addresses: Uint32Array): Promise<number> {
    if (addresses.every((address) => address === 0)) return 0;
    const number = this.newNumber();
    const node = new Uint8Array(nodeBytes);
    const view = viewOf(node);
    for (const [i, address] of addresses.entries()) {
      view.setUint32(i * 4, address, true);
      if (address !== 0) this.area.own(address, number, i);
    }
    await this.writeNode(number, made, at, node);
    return number;
  }

  /** @param at in the order of an inode's nodes, itself the first */
  private async writeNode(number: number, { number: of, type }: NewInode, at: number, content: Uint8Array) {
    const [{ block }] = this.area.allocate('node', 1) as [BlockRun];
    this.area.own(block, number, 0);
    this.nodes.set(number, { inode: of, block });
    const bytes = new Uint8Array(blockBytes);
    bytes.set(content);
    const footer = viewOf(bytes.subarray(nodeBytes));
    footer.setUint32(0, number, true);
    footer.setUint32(4, of, true);
    footer.setUint32(8, ((at << 3) | (type === 'directory' ? 0 : coldNode)) >>> 0, true);
    footer.setBigUint64(12, BigInt(this.plan.madeAt) | 1n, true);
    footer.setUint32(20, block + 1, true);
    await this.sink.write(block * blockBytes, bytes);
  }
}

function addressesOf(runs: readonly BlockRun[]): Uint32Array {
  const addresses = new Uint32Array(runs.reduce((sum, { count }) => sum + count, 0));
  let at = 0;
  for (const { block, count } of runs) for (let i = 0; i < count; i++) addresses[at++] = block + i;
  return addresses;
}

function padded(bytes: Uint8Array, length: number): Uint8Array {
  const all = new Uint8Array(length);
  all.set(bytes);
  return all;
}
