import { randomUUID } from 'node:crypto';
import { open, rm, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';
import { ChunkDigest } from '../threads/digest.ts';
import { partialSuffix, renameDurably } from '../../disk/durable.ts';
import { writeAllWhole, writeWhole } from '../../disk/whole-writes.ts';
import { headOf, trailerOf } from './pack-bytes.ts';
import { codecs, type PackedChunk, type Record } from './pack-format.ts';
import { sealedHead } from './sealed-record.ts';

/** A pack being filled. It counts for nothing until `seal` has resolved. */
export class PackWriter {
  readonly records: Record[] = [];
  private bytes = 0;
  private readonly headers = new ChunkDigest();

  private constructor(
    private readonly folder: string,
    readonly name: string,
    private readonly file: FileHandle,
  ) {}

  static async create(folder: string): Promise<PackWriter> {
    const name = `${randomUUID()}.pack`;
    return new PackWriter(folder, name, await open(join(folder, `${name}${partialSuffix}`), 'wx'));
  }

  get size(): number {
    return this.bytes;
  }

  /** Appends chunks in one write; their bytes may be used again when it has resolved. */
  async append(chunks: readonly PackedChunk[]): Promise<void> {
    const pieces: Uint8Array[] = [];
    for (const chunk of chunks) {
      const { digest, codec, stored, plainBytes } = chunk;
      const isSealed = codec === codecs.sealed;
      const header = isSealed ? stored.subarray(0, sealedHead.bytes) : headOf(chunk);
      // Sealed, it is the whole record.
      const offset = isSealed ? this.bytes : this.bytes + header.length;
      this.records.push({ digest, codec, offset, storedBytes: stored.length, plainBytes });
      this.headers.update(header);
      this.bytes = offset + stored.length;
      pieces.push(...(isSealed ? [stored] : [header, stored]));
    }
    await writeAllWhole(this.file, pieces);
  }

  /** Where it lies until it is sealed. */
  get partialPath(): string {
    return join(this.folder, `${this.name}${partialSuffix}`);
  }

  /**
   * Makes the pack durable, has it read back, and gives it its final name; resolves to its size in bytes.
   * @param check reads the file; throws when it is not what was written
   */
  async seal(check: (path: string, records: readonly Record[]) => Promise<void>): Promise<number> {
    const trailer = trailerOf(this.records.length, this.bytes, this.headers.digest());
    await writeWhole(this.file, trailer);
    await this.file.sync();
    await this.file.close();
    await check(this.partialPath, this.records);
    await renameDurably(this.partialPath, join(this.folder, this.name));
    return this.bytes + trailer.length;
  }

  async discard(): Promise<void> {
    await this.file.close().catch(() => undefined);
    await rm(this.partialPath, { force: true });
  }
}
