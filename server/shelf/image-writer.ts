import { BlockPool, copyToShared } from './block-pool.ts';
import type { Block } from './chunk-worker.ts';
import { chunkDigest } from './digest.ts';
import { blockBytes, chunkBytes, codecs, packBytes, zeroDigest } from './pack-format.ts';
import { PackWriter, type PackedChunk } from './pack-writer.ts';
import type { Shelf } from './shelf.ts';
import type { Digests } from './workers.ts';

/** What was stored of an image. */
export interface StoredImage extends Digests {
  readonly bytes: number;
  readonly chunkBytes: number;
  readonly chunks: Buffer;
}

/** Blocks of shared memory under way at once; bounds the memory of a run. */
const blocksAtOnce = 10;
const outputsAtOnce = 3;

/**
 * Takes in the images of one set. Chunks that the shelf has already are not stored again. Nothing
 * counts until `finish` has sealed the last pack.
 */
export class SetWriter {
  private pack: PackWriter | undefined;
  private readonly blocks = new BlockPool(blocksAtOnce);
  /** For compressed chunks on their way to the pack. */
  private readonly outputs = new BlockPool(outputsAtOnce);
  /** Chunks stored by this writer, by hexadecimal digest, that the catalogue does not know yet. */
  private readonly fresh = new Set<string>();
  private added = 0;
  private order: Promise<unknown> = Promise.resolve();

  constructor(private readonly shelf: Shelf) {}

  /** Bytes of packs that this set made necessary. */
  get addedBytes(): number {
    return this.added;
  }

  /**
   * Reads a stream to its end.
   * @param onStored called with the bytes of each block once it is stored
   */
  async write(
    stream: AsyncIterable<Uint8Array>,
    onStored: (bytes: number) => void = () => undefined,
  ): Promise<StoredImage> {
    const digests = this.shelf.workers.digestStream();
    const lists: Promise<Buffer[]>[] = [];
    let failure: unknown;
    let bytes = 0;
    const handOver = (block: Block) => {
      const digested = digests.update(block);
      const stored = this.store(block);
      lists.push(stored);
      Promise.all([digested, stored])
        .then(
          () => onStored(block.bytes),
          (error: unknown) => (failure ??= error),
        )
        .finally(() => this.blocks.giveBack(block.memory));
      bytes += block.bytes;
    };
    let memory: SharedArrayBuffer | undefined;
    let filled = 0;
    try {
      for await (const part of stream) {
        for (let at = 0; at < part.length;) {
          memory ??= await this.blocks.take();
          if (failure) throw failure;
          const take = Math.min(blockBytes - filled, part.length - at);
          copyToShared(memory, filled, part.subarray(at, at + take));
          filled += take;
          at += take;
          if (filled === blockBytes) {
            handOver({ memory, bytes: filled });
            memory = undefined;
            filled = 0;
          }
        }
      }
      if (memory && filled > 0) {
        handOver({ memory, bytes: filled });
        memory = undefined;
      }
    } catch (error) {
      await Promise.allSettled(lists);
      throw error;
    } finally {
      if (memory) this.blocks.giveBack(memory);
    }
    const chunks = Buffer.concat((await Promise.all(lists)).flat());
    return { bytes, chunkBytes, chunks, ...(await digests.finish()) };
  }

  /** Seals what is open, so that every chunk of the set is durable and in the catalogue. */
  async finish(): Promise<void> {
    await this.order;
    await this.sealPack();
  }

  async discard(): Promise<void> {
    await this.order.catch(() => undefined);
    await this.pack?.discard();
    this.pack = undefined;
  }

  /** Names a block's chunks, stores the new ones, and resolves to all names in order. */
  private async store(block: Block): Promise<Buffer[]> {
    const names = nameChunks(block);
    const wanted: number[] = [];
    names.forEach((name, i) => {
      if (name === zeroDigest) return;
      const key = name.toString('hex');
      if (this.fresh.has(key) || this.shelf.has(name)) return;
      this.fresh.add(key);
      wanted.push(i);
    });
    if (wanted.length === 0) return names;
    const output = await this.outputs.take();
    try {
      const packed = await this.shelf.workers.packChunks(block, wanted, output);
      const appended = this.order.then(async () => {
        await this.append(
          packed.map(({ codec, offset, bytes }, i) => ({
            digest: names[wanted[i]!]!,
            codec,
            stored: new Uint8Array(codec === codecs.plain ? block.memory : output, offset, bytes),
            plainBytes: Math.min(chunkBytes, block.bytes - wanted[i]! * chunkBytes),
          })),
        );
      });
      this.order = appended;
      await appended;
    } finally {
      this.outputs.giveBack(output);
    }
    return names;
  }

  private async append(chunks: readonly PackedChunk[]): Promise<void> {
    this.pack ??= await PackWriter.create(this.shelf.packFolder);
    await this.pack.append(chunks);
    if (this.pack.size >= packBytes) await this.sealPack();
  }

  private async sealPack(): Promise<void> {
    const { pack } = this;
    if (!pack) return;
    const bytes = await pack.seal();
    this.shelf.register(pack.name, bytes, pack.records);
    this.added += bytes;
    for (const { digest } of pack.records) this.fresh.delete(digest.toString('hex'));
    this.pack = undefined;
  }
}

const zeros = Buffer.alloc(chunkBytes);

/** The names of a block's chunks, in order. BLAKE3 is too fast to be worth sending to a worker. */
function nameChunks({ memory, bytes }: Block): Buffer[] {
  const names: Buffer[] = [];
  for (let at = 0; at < bytes; at += chunkBytes) {
    const chunk = Buffer.from(memory, at, Math.min(chunkBytes, bytes - at));
    names.push(chunk.equals(zeros.subarray(0, chunk.length)) ? zeroDigest : chunkDigest(chunk));
  }
  return names;
}
