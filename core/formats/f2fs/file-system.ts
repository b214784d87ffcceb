import { FormatError } from '../../bytes/format-error.ts';
import { joinBytes } from '../../bytes/join.ts';
import type { ByteRange } from '../../bytes/ranges.ts';
import { cached, memorySource, readWithin, type ByteSource } from '../../bytes/source.ts';
import { readUtf8 } from '../../bytes/text.ts';
import { extentPlaces, extentSource, type Extent } from '../file-system/extents.ts';
import { encryptedName, FileSystem, type Attribute, type DirectoryEntry } from '../file-system/reading.ts';
import { attributesOf } from './attributes.ts';
import { addressesOf, runsOf } from './blocks.ts';
import { readCheckpoint, type Checkpoint } from './checkpoint.ts';
import { clusterSource } from './clusters.ts';
import { entriesInInode, entriesOfBlock } from './directory.ts';
import { parseInode, type F2fsInode } from './inode.ts';
import { viewOf } from '../../bytes/layout.ts';
import {
  blockBytes,
  natEntriesPerBlock,
  natEntryBytes,
  newAddress,
  nodeFooterBytes,
  nullAddress,
  testBit,
} from './layouts.ts';
import { readF2fs, type F2fsSuperblock } from './superblock.ts';

const maxLinkBytes = 4096;

/** An f2fs file system opened for reading, as its last checkpoint has it: what was written since is not followed. */
export class F2fs extends FileSystem<F2fsInode> {
  override readonly format = 'f2fs';

  private constructor(
    private readonly source: ByteSource,
    readonly superblock: F2fsSuperblock,
    readonly checkpoint: Checkpoint,
  ) {
    super();
  }

  /** @throws FormatError when it has no superblock or no checkpoint that can be used */
  static async open(source: ByteSource): Promise<F2fs> {
    const kept = cached(source);
    const superblock = await readF2fs(kept);
    return new F2fs(kept, superblock, await readCheckpoint(kept, superblock));
  }

  override get root(): number {
    return this.superblock.rootInode;
  }

  override get findings(): readonly string[] {
    return [...this.superblock.findings, ...this.checkpoint.findings];
  }

  /** Bytes in use, the file system's own tables included. */
  get usedBytes(): number {
    return (this.superblock.main + this.checkpoint.validBlocks) * blockBytes;
  }

  override async inode(number: number): Promise<F2fsInode> {
    const { block, offset } = await this.node(number, number);
    return parseInode(block, number, offset, this.superblock);
  }

  override async list(directory: F2fsInode): Promise<DirectoryEntry[]> {
    if (directory.type !== 'directory')
      throw this.bad(directory, 'i_mode', `a ${directory.type}, no directory`);
    const { encrypted, offset } = directory;
    if (directory.inlineDirectory) return entriesInInode(directory.inlineContent, offset, encrypted);
    if (directory.bytes > this.superblock.bytes)
      throw this.bad(directory, 'i_size', `a directory of ${directory.bytes} bytes`);
    const found: DirectoryEntry[] = [];
    for (const { at, bytes, offset: disk } of await this.extents(directory)) {
      for (let i = 0; i < bytes && at + i < directory.bytes; i += blockBytes) {
        const block = await readWithin(this.source, disk + i, blockBytes, 'f2fs', 'i_addr');
        found.push(...entriesOfBlock(block, disk + i, encrypted));
      }
    }
    return found;
  }

  override async contentSource(file: F2fsInode): Promise<ByteSource> {
    if (file.inlineData) {
      if (file.bytes > file.inlineContent.length)
        throw this.bad(file, 'i_size', `${file.bytes} bytes of inline data`);
      return memorySource(file.inlineContent.subarray(0, file.bytes));
    }
    if (!file.compression)
      return extentSource(this.source, await this.extents(file), file.bytes, 'f2fs', 'i_addr');
    const addresses = await addressesOf(file, (number, owner) => this.addressNode(number, owner));
    return clusterSource(this.source, file, file.compression, addresses, this.main);
  }

  override async places(file: F2fsInode): Promise<readonly ByteRange[] | undefined> {
    if (file.inlineData || file.compression) return undefined;
    return extentPlaces(await this.extents(file), file.bytes);
  }

  override async linkTarget(link: F2fsInode): Promise<string> {
    const bytes = await this.read(link, maxLinkBytes);
    if (link.encrypted) return encryptedName(bytes);
    const end = bytes.indexOf(0);
    return readUtf8(end < 0 ? bytes : bytes.subarray(0, end));
  }

  override async attributes(file: F2fsInode): Promise<Attribute[]> {
    if (!file.attributeNode) return attributesOf(file.inlineAttributes, file.offset);
    const { block } = await this.node(file.attributeNode, file.number);
    return attributesOf(joinBytes([file.inlineAttributes, block.subarray(0, -nodeFooterBytes)]), file.offset);
  }

  private async extents(file: F2fsInode): Promise<Extent[]> {
    const addresses = await addressesOf(file, (number, owner) => this.addressNode(number, owner));
    return runsOf(file, addresses, this.main).map(({ fileBlock, diskBlock, blocks }) => ({
      at: fileBlock * blockBytes,
      bytes: blocks * blockBytes,
      offset: diskBlock * blockBytes,
    }));
  }

  private get main(): { readonly first: number; readonly end: number } {
    const { main, mainSegments, blocksPerSegment } = this.superblock;
    return { first: main, end: main + mainSegments * blocksPerSegment };
  }

  private async addressNode(number: number, owner: number): Promise<DataView> {
    return viewOf((await this.node(number, owner)).block);
  }

  /** A node's block, by the table of node addresses; its footer must say that it is that one. */
  private async node(
    number: number,
    owner: number,
  ): Promise<{ readonly block: Uint8Array; readonly offset: number }> {
    const address = await this.nodeAddress(number);
    const { first, end } = this.main;
    if (address < first || address >= end)
      throw new FormatError('f2fs', 'nat', 0, `node ${number} is at block ${address}, which lies outside`);
    const offset = address * blockBytes;
    const block = await readWithin(this.source, offset, blockBytes, 'f2fs', 'node');
    const footer = viewOf(block.subarray(-nodeFooterBytes));
    const [nid, ino] = [footer.getUint32(0, true), footer.getUint32(4, true)];
    if (nid !== number || ino !== owner)
      throw new FormatError(
        'f2fs',
        'footer',
        offset + blockBytes - nodeFooterBytes,
        `node ${number} of inode ${owner} is node ${nid} of inode ${ino}`,
      );
    return { block, offset };
  }

  private async nodeAddress(number: number): Promise<number> {
    const { nat, natSegments, blocksPerSegment } = this.superblock;
    const newer = this.checkpoint.natJournal.get(number);
    if (newer !== undefined) return existing(number, newer);
    const index = Math.floor(number / natEntriesPerBlock);
    const within = index % blocksPerSegment;
    // Every segment of the table has a second one behind it; the bitmap says which block of the two holds.
    if (2 * (index - within) >= natSegments * blocksPerSegment)
      throw new FormatError('f2fs', 'nid', 0, `node ${number} is more than the table holds`);
    const second = testBit(this.checkpoint.natBitmap, index) ? blocksPerSegment : 0;
    const offset = (nat + 2 * (index - within) + within + second) * blockBytes;
    const block = await readWithin(this.source, offset, blockBytes, 'f2fs', 'nat');
    return existing(number, viewOf(block).getUint32((number % natEntriesPerBlock) * natEntryBytes + 5, true));
  }

  private bad(file: F2fsInode, field: string, reason: string): FormatError {
    return new FormatError('f2fs', field, file.offset, `inode ${file.number}: ${reason}`);
  }
}

function existing(number: number, address: number): number {
  if (address === nullAddress || address === newAddress)
    throw new FormatError('f2fs', 'nat', 0, `there is no node ${number}`);
  return address;
}
