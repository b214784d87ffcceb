import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { BlockPool } from './threads/block-pool.ts';
import type { Block } from './threads/chunk-worker.ts';
import { chunkDigest } from './threads/digest.ts';
import { ImageWriter } from './image-writer.ts';
import { chunkBytes, codecs, packBytes, zeroDigest, type PackedChunk } from './packs/pack-format.ts';
import { PackWriter } from './packs/pack-writer.ts';
import type { Shelf } from './shelf.ts';

/** Blocks of shared memory under way at once; bounds the memory of a run. */
const blocksAtOnce = 10;
const outputsAtOnce = 3;

/** Sealed packs that are read back while the next one is filled. */
const sealingAtOnce = 2;

/**
 * Takes in the images of one set. Chunks that the shelf has already are not stored again. Nothing
 * counts until `seal` has closed the last pack.
 */
export class SetWriter {
  readonly blocks = new BlockPool(blocksAtOnce);
  private pack: PackWriter | undefined;
  /** For compressed chunks on their way to the pack. */
  private readonly outputs = new BlockPool(outputsAtOnce);
  /** Chunks stored by this writer, by hexadecimal digest, that the catalogue does not know yet. */
  private readonly fresh = new Set<string>();
  private added = 0;
  private order: Promise<unknown> = Promise.resolve();
  /** Packs that are complete, on their way into the catalogue. */
  private readonly sealing = new Set<Promise<void>>();

  /** @param onSealed told when a pack has been closed and its chunks count */
  constructor(
    private readonly shelf: Shelf,
    private readonly onSealed: () => void = () => undefined,
  ) {}

  /** Bytes of packs that this set made necessary. */
  get addedBytes(): number {
    return this.added;
  }

  /** @param ranges what is read of it; left out for a stream whose size nobody knows before its end */
  image(imageBytes: number, ranges?: readonly ByteRange[]): ImageWriter {
    return new ImageWriter(this, this.shelf, ranges, imageBytes);
  }

  /** Seals what is open, so that every chunk stored so far is durable, read back and in the catalogue. */
  async seal(): Promise<void> {
    const sealed = this.order.then(async () => {
      this.sealPack();
      await Promise.all(this.sealing);
    });
    this.order = sealed;
    await sealed;
    this.restMemory();
  }

  async discard(): Promise<void> {
    await this.order.catch(() => undefined);
    await Promise.allSettled(this.sealing);
    await this.pack?.discard();
    this.pack = undefined;
    this.restMemory();
  }

  private restMemory(): void {
    this.blocks.rest();
    this.outputs.rest();
  }

  /** Names a block's chunks, stores the new ones, and resolves to all names in order. */
  async store(block: Block): Promise<Buffer[]> {
    const names = nameChunks(block);
    const wanted: number[] = [];
    for (const [i, name] of names.entries()) {
      if (name === zeroDigest) continue;
      const key = name.toString('hex');
      if (this.fresh.has(key) || (await this.shelf.holds(name))) continue;
      // While the pack was looked at, another block may have brought the same chunk.
      if (this.fresh.has(key)) continue;
      this.fresh.add(key);
      wanted.push(i);
    }
    if (wanted.length === 0) return names;
    const output = await this.outputs.take();
    try {
      const key = this.shelf.seal.masterToSeal;
      const seal = key && { key, names: wanted.map((i) => names[i]!) };
      const packed = await this.shelf.workers.packChunks(block, wanted, output, seal);
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
    if (!this.pack) {
      this.shelf.requireThere();
      this.pack = await PackWriter.create(this.shelf.packFolder);
    }
    await this.pack.append(chunks);
    if (this.pack.size < packBytes) return;
    this.sealPack();
    while (this.sealing.size >= sealingAtOnce) await Promise.race(this.sealing);
  }

  /** The pack is read back while the next one is filled; its chunks count when that has been done. */
  private sealPack(): void {
    const { pack } = this;
    this.pack = undefined;
    if (!pack) return;
    const sealed = this.closePack(pack);
    this.sealing.add(sealed);
    // One that failed stays, for whoever asks next.
    sealed.then(
      () => this.sealing.delete(sealed),
      () => undefined,
    );
  }

  private async closePack(pack: PackWriter): Promise<void> {
    try {
      const bytes = await pack.seal(this.shelf.readBack);
      await this.shelf.register(pack.name, bytes, pack.records);
      this.added += bytes;
      for (const { digest } of pack.records) this.fresh.delete(digest.toString('hex'));
    } catch (error) {
      await pack.discard();
      throw error;
    }
    this.onSealed();
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
