import { FormatError } from '../../bytes/format-error.ts';
import type { ByteRange } from '../../bytes/ranges.ts';
import { cached, readWithin, type ByteSource } from '../../bytes/source.ts';
import { readAscii, readUtf8 } from '../../bytes/text.ts';
import { extentPlaces, extentSource, type Extent } from '../file-system/extents.ts';
import { FileSystem, type Attribute, type DirectoryEntry } from '../file-system/reading.ts';
import { attributeAt, sharedIn } from './attributes.ts';
import { packedExtents } from './clusters.ts';
import { entriesOfBlock } from './directory.ts';
import { mostInodeBytes, parseInode, type ErofsInode } from './inode.ts';
import { viewOf } from '../../bytes/layout.ts';
import { attributePrefixes } from '../file-system/attribute-names.ts';
import { chunkFlags, inodeSlotBytes, noBlock } from './layouts.ts';
import { packedSource } from './packed.ts';
import { readErofs, type ErofsSuperblock } from './superblock.ts';

const maxLinkBytes = 4096;
const mostChunks = 1 << 24;
/** A name and a value at their longest. */
const longestAttribute = 4 + 255 + 65535;

/** An erofs file system opened for reading. Inodes have the numbers of their places. */
export class Erofs extends FileSystem<ErofsInode> {
  override readonly format = 'erofs';
  private prefixes: Promise<readonly string[]> | undefined;
  private packedFile: Promise<ByteSource> | undefined;

  private constructor(
    private readonly source: ByteSource,
    readonly superblock: ErofsSuperblock,
  ) {
    super();
  }

  /** @throws FormatError when its superblock cannot be used */
  static async open(source: ByteSource): Promise<Erofs> {
    const kept = cached(source);
    return new Erofs(kept, await readErofs(kept));
  }

  override get root(): number {
    return this.superblock.rootNid;
  }

  override get findings(): readonly string[] {
    return this.superblock.findings;
  }

  override async inode(number: number): Promise<ErofsInode> {
    const { metaOffset, builtAt } = this.superblock;
    const offset = metaOffset + number * inodeSlotBytes;
    const bytes = Math.min(mostInodeBytes, this.source.bytes - offset);
    if (!(bytes >= inodeSlotBytes))
      throw new FormatError('erofs', 'nid', 0, `inode ${number} lies outside the image`);
    const record = await readWithin(this.source, offset, bytes, 'erofs', 'inode');
    return parseInode(record, number, offset, builtAt);
  }

  override async list(directory: ErofsInode): Promise<DirectoryEntry[]> {
    if (directory.type !== 'directory')
      throw this.bad(directory, 'i_mode', `a ${directory.type}, no directory`);
    if (directory.bytes > this.superblock.bytes)
      throw this.bad(directory, 'i_size', `a directory of ${directory.bytes} bytes`);
    const content = await this.contentSource(directory);
    const { directoryBlockBytes } = this.superblock;
    const found: DirectoryEntry[] = [];
    for (let at = 0; at < content.bytes; at += directoryBlockBytes) {
      const block = await content.read(at, Math.min(directoryBlockBytes, content.bytes - at));
      found.push(...entriesOfBlock(block, directory.offset));
    }
    return found;
  }

  override async contentSource(file: ErofsInode): Promise<ByteSource> {
    if (file.layout === 'packed' || file.layout === 'packed, full index') {
      const extents = await packedExtents(this.source, this.superblock, file);
      return packedSource(this.source, this.superblock, file, extents, () => this.packed(file));
    }
    return extentSource(this.source, await this.extents(file), file.bytes, 'erofs', 'i_u');
  }

  override async places(file: ErofsInode): Promise<readonly ByteRange[] | undefined> {
    if (file.layout === 'packed' || file.layout === 'packed, full index') return undefined;
    return extentPlaces(await this.extents(file), file.bytes);
  }

  override async linkTarget(link: ErofsInode): Promise<string> {
    return readUtf8(await this.read(link, maxLinkBytes));
  }

  override async attributes(file: ErofsInode): Promise<Attribute[]> {
    if (file.attributeBytes === 0) return [];
    const at = file.attributesAt;
    const area = await readWithin(this.source, at, file.attributeBytes, 'erofs', 'i_xattr_icount');
    const prefixes = await this.longPrefixes();
    const { shared, ownAt } = sharedIn(area, at);
    const found: Attribute[] = [];
    for (let own = ownAt; own + 4 <= area.length;) {
      const { attribute, next } = attributeAt(area, own, at, prefixes);
      found.push(attribute);
      own = next;
    }
    for (const word of shared) {
      const offset = this.superblock.attributesOffset + word * 4;
      const bytes = Math.min(longestAttribute, this.source.bytes - offset);
      const entry = await readWithin(this.source, offset, bytes, 'erofs', 'h_shared_xattrs');
      found.push(attributeAt(entry, 0, offset, prefixes).attribute);
    }
    return found;
  }

  /** Where the bytes of a file lie that is not packed; chunks that lie nowhere are holes. */
  private async extents(file: ErofsInode): Promise<Extent[]> {
    const { blockBytes, bytes: limit } = this.superblock;
    if (file.bytes === 0) return [];
    if (file.layout === 'chunks') return this.chunkExtents(file);
    const offset = file.place * blockBytes;
    if (file.layout === 'flat') {
      if (offset + file.bytes > limit) throw this.bad(file, 'i_u', `block ${file.place} lies outside`);
      return [{ at: 0, bytes: file.bytes, offset }];
    }
    const end = file.bytes % blockBytes;
    const whole = file.bytes - end;
    if (whole > 0 && offset + whole > limit) throw this.bad(file, 'i_u', `block ${file.place} lies outside`);
    return [
      ...(whole > 0 ? [{ at: 0, bytes: whole, offset }] : []),
      ...(end > 0 ? [{ at: whole, bytes: end, offset: file.restAt }] : []),
    ];
  }

  private async chunkExtents(file: ErofsInode): Promise<Extent[]> {
    const { blockBytes, blockBits, bytes: limit, extraDevices } = this.superblock;
    const form = file.place & 0xffff;
    if (form & ~(chunkFlags.bits | chunkFlags.indexes))
      throw this.bad(file, 'i_u', `chunks of form 0x${form.toString(16)}`);
    const chunkBytes = 2 ** (blockBits + (form & chunkFlags.bits));
    const count = Math.ceil(file.bytes / chunkBytes);
    if (count > mostChunks) throw this.bad(file, 'i_size', `${count} chunks`);
    const hasIndexes = (form & chunkFlags.indexes) !== 0;
    const entryBytes = hasIndexes ? 8 : 4;
    const start = Math.ceil(file.restAt / entryBytes) * entryBytes;
    const view = viewOf(await readWithin(this.source, start, count * entryBytes, 'erofs', 'chunks'));
    const found: { at: number; bytes: number; offset: number }[] = [];
    for (let i = 0; i < count; i++) {
      const block = view.getUint32(i * entryBytes + (hasIndexes ? 4 : 0), true);
      if (block === noBlock) continue;
      const device = hasIndexes ? view.getUint16(i * entryBytes + 2, true) : 0;
      if (device !== 0 && extraDevices > 0)
        throw this.bad(
          file,
          'device_id',
          `its contents lie on another device (number ${device}), which is not here`,
        );
      const at = i * chunkBytes;
      const bytes = Math.min(chunkBytes, file.bytes - at);
      const offset = block * blockBytes;
      if (offset + bytes > limit) throw this.bad(file, 'startblk', `block ${block} lies outside`);
      const last = found.at(-1);
      if (last && last.at + last.bytes === at && last.offset + last.bytes === offset) last.bytes += bytes;
      else found.push({ at, bytes, offset });
    }
    return found;
  }

  /** The file that ends of other files are in. */
  private packed(file: ErofsInode): Promise<ByteSource> {
    const { packedNid } = this.superblock;
    if (packedNid === undefined || file.number === packedNid)
      throw this.bad(file, 'packed_nid', 'there is no file that its end could be in');
    return (this.packedFile ??= this.inode(packedNid).then((inode) => this.contentSource(inode)));
  }

  /** What names of attributes may begin with, besides what every file system knows. */
  private longPrefixes(): Promise<readonly string[]> {
    return (this.prefixes ??= this.readPrefixes());
  }

  private async readPrefixes(): Promise<readonly string[]> {
    const { attributePrefixes: stored, packedNid } = this.superblock;
    if (stored.count === 0) return [];
    const isPacked = packedNid !== undefined && !stored.isPlain;
    const source = isPacked ? await this.contentSource(await this.inode(packedNid)) : this.source;
    const found: string[] = [];
    let at = stored.offset;
    for (let i = 0; i < stored.count; i++) {
      const bytes = viewOf(await readWithin(source, at, 2, 'erofs', 'xattr_prefix')).getUint16(0, true);
      const prefix = await readWithin(source, at + 2, bytes, 'erofs', 'xattr_prefix');
      if (bytes < 1) throw new FormatError('erofs', 'xattr_prefix', at, 'an empty prefix');
      found.push((attributePrefixes[prefix[0]!] ?? '') + readAscii(prefix.subarray(1)));
      at = Math.ceil((at + 2 + bytes) / 4) * 4;
    }
    return found;
  }

  private bad(file: ErofsInode, field: string, reason: string): FormatError {
    return new FormatError('erofs', field, file.offset, `inode ${file.number}: ${reason}`);
  }
}
