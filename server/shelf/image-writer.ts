import { availableParallelism } from 'node:os';
import { rangesBytes, rangesHead, rangesTail, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { copyToShared, type BlockPool } from './threads/block-pool.ts';
import type { Block } from './threads/chunk-worker.ts';
import { MoreThanAsked } from '../failures.ts';
import { coarseBytes, isComparedInPieces } from '@keen-larder/core/phone/piece-sizes.ts';
import {
  leaveMemory,
  readBlocks,
  readingMemory,
  type ImageRecipe,
  type ReadingMemory,
} from './image-reader.ts';
import { PieceDigests, type KnownPieces } from './piece-digests.ts';
import { blockBytes, chunkBytes, digestBytes, zeroDigest } from './packs/pack-format.ts';
import type { Shelf } from './shelf.ts';
import type { DigestStream } from './threads/workers.ts';

/** What was stored of an image. */
export interface StoredImage {
  readonly bytes: number;
  readonly chunkBytes: number;
  /** Over what was taken. */
  readonly sha256: Buffer;
  /** Names of the chunks in order, those of holes and zeros all zero. */
  readonly chunks: Buffer;
}

/** How far an image is on the shelf for good: enough to go on after anything. */
export interface ImageProgress {
  /** Bytes taken, of the ranges one after the other. */
  readonly taken: number;
  /** Names of the chunks, holes included. */
  readonly chunks: Buffer;
}

interface Entry {
  /** Bytes taken when this one is done; of a hole, no more than before. */
  readonly taken: number;
  readonly names: Promise<Buffer[]>;
}

/** Where the chunks of images go. */
export interface ChunkStore {
  readonly blocks: BlockPool;
  /** Names a block's chunks, stores the new ones, and resolves to all names in order. */
  store(block: Block): Promise<Buffer[]>;
}

/** The whole of an image of that many bytes. */
export const wholeOf = (bytes: number): ByteRange[] => (bytes > 0 ? [{ offset: 0, bytes }] : []);

/** Besides those that digest the image, name and pack its chunks, and talk to the phone. */
const hasSpareProcessor = availableParallelism() > 4;
/** Blocks of an earlier image that are read ahead. */
const keptAhead = 3;

/**
 * Takes in one image, in as many streams as it needs. Its ranges are what is read; what lies between
 * them are holes, which read as zeros and which the digests do not cover. Of an archive, whose size
 * nobody knows before its end, there are no ranges.
 */
export class ImageWriter {
  private digests: DigestStream;
  private pieces: PieceDigests | undefined;
  private entries: Entry[] = [];
  /** For what comes from other images. */
  private reading: ReadingMemory | undefined;
  private handedOver = 0;
  private failure: unknown;
  /** So many entries are known to be on the shelf for good. */
  private durable = 0;

  /**
   * @param ranges ascending, each of whole chunks but for the end of the image
   * @param imageBytes size of the whole image
   */
  constructor(
    private readonly store: ChunkStore,
    private readonly shelf: Shelf,
    private readonly ranges: readonly ByteRange[] | undefined,
    private readonly imageBytes: number,
  ) {
    this.digests = shelf.workers.digestStream();
    this.pieces = this.newPieces();
  }

  /** Bytes of the ranges that were taken; the next stream begins behind them. */
  get taken(): number {
    return this.handedOver;
  }

  /** What is still to be read. */
  get missing(): ByteRange[] {
    return rangesTail(this.ranges ?? [], this.handedOver);
  }

  /** What was read. */
  get rangesRead(): ByteRange[] {
    return rangesHead(this.ranges ?? [], this.handedOver);
  }

  /** SHA-256 of the bytes taken so far. */
  async sha256SoFar(): Promise<Buffer> {
    await this.settled();
    return this.digests.soFar();
  }

  /** What was taken so far, as an image of which the rest is missing. */
  async soFar(): Promise<Pick<StoredImage, 'bytes' | 'chunkBytes' | 'chunks'>> {
    await this.settled();
    const names = (await Promise.all(this.entries.map((entry) => entry.names))).flat();
    return { bytes: this.imageBytes, chunkBytes, chunks: Buffer.concat(names) };
  }

  /**
   * Reads a stream to its end, behind what was taken before. When it breaks off, what was handed over
   * counts and the rest of it does not.
   * @param onStored called with the bytes of each block once it is stored
   * @param isFollowed more follows at once, which need not wait until this is stored: whether it was is told then, or at the end
   */
  async take(
    stream: AsyncIterable<Uint8Array>,
    onStored: (bytes: number) => void = () => undefined,
    isFollowed = false,
  ): Promise<void> {
    const { blocks } = this.store;
    let memory: SharedArrayBuffer | undefined;
    let filled = 0;
    let room = 0;
    const handOver = () => {
      if (memory) this.handOver(memory, filled, onStored);
      memory = undefined;
      filled = 0;
    };
    try {
      for await (const part of stream) {
        for (let at = 0; at < part.length;) {
          if (!memory) {
            room = this.roomOfBlock();
            if (room === 0) throw new MoreThanAsked(rangesBytes(this.ranges!));
            memory = await blocks.take();
          }
          if (this.failure) throw this.failure as Error;
          const take = Math.min(room - filled, part.length - at);
          copyToShared(memory, filled, part.subarray(at, at + take));
          filled += take;
          at += take;
          if (filled === room) handOver();
        }
      }
      // A block is whole chunks, unless it is the last one: half a chunk is taken again with the next stream.
      if (this.ranges) filled = Math.floor(filled / chunkBytes) * chunkBytes;
      if (filled > 0) handOver();
    } catch (error) {
      const whole = Math.floor(filled / chunkBytes) * chunkBytes;
      if (this.ranges && whole > 0 && !this.failure) {
        filled = whole;
        handOver();
      }
      await this.settled().catch(() => undefined);
      throw this.failure ?? error;
    } finally {
      if (memory) blocks.giveBack(memory);
    }
    if (!isFollowed) await this.settled();
  }

  /** Goes on where an earlier writer was: what it stored is digested anew from the shelf. */
  async takeUp({ taken, chunks }: ImageProgress): Promise<void> {
    const recipe = { partition: '', bytes: this.imageBytes, chunkBytes, chunks };
    for (const range of rangesHead(this.ranges ?? [], taken)) {
      for await (const block of readBlocks(this.shelf, recipe, range)) {
        await this.digests.update(block);
        block.release();
      }
    }
    this.entries = [{ taken, names: Promise.resolve(namesIn(chunks)) }];
    this.durable = 1;
    this.handedOver = taken;
  }

  /**
   * Takes the next bytes of the range under way as another image of the shelf has them.
   * @throws DamagedImage where that image is damaged there; nothing is taken then
   */
  async takeFrom(image: ImageRecipe, bytes: number): Promise<void> {
    const { offset } = this.missing[0]!;
    this.reading ??= readingMemory(keptAhead);
    // In order with what is digested: nobody need wait for it.
    void this.digests.mark();
    try {
      // Digested in order, behind what was handed over before; a block comes back when that has been done.
      for await (const block of readBlocks(this.shelf, image, { offset, bytes }, this.reading))
        void this.digests.update(block).then(block.release, block.release);
    } catch (error) {
      await this.digests.backToMark();
      throw error;
    }
    this.addHole(offset);
    this.handedOver += bytes;
    const [from, end] = [offset, offset + bytes].map((at) => Math.ceil(at / chunkBytes) * digestBytes);
    const names = namesIn(image.chunks.subarray(from, end));
    this.entries.push({ taken: this.handedOver, names: Promise.resolve(names) });
  }

  /** Forgets all that was taken. */
  async startAnew(): Promise<void> {
    await this.settled().catch(() => undefined);
    void this.digests.finish();
    this.digests = this.shelf.workers.digestStream();
    this.pieces = this.newPieces();
    this.entries = [];
    this.durable = 0;
    this.handedOver = 0;
    this.failure = undefined;
  }

  /** What came onto the shelf for good since this was last asked; undefined when nothing did. */
  async progress(): Promise<ImageProgress | undefined> {
    const names: Buffer[] = [];
    let taken = 0;
    for (; this.durable < this.entries.length; this.durable++) {
      const entry = this.entries[this.durable]!;
      const these = await entry.names;
      if (!these.every((name) => name.equals(zeroDigest) || this.shelf.has(name))) break;
      names.push(...these);
      ({ taken } = entry);
    }
    return names.length > 0 ? { taken, chunks: Buffer.concat(names) } : undefined;
  }

  /** Digests of the coarse pieces of a whole image, as far as there was time for them. To be called when all of it has been taken. */
  async knownPieces(): Promise<KnownPieces | undefined> {
    return this.pieces?.end(this.imageBytes);
  }

  /** To be called when all ranges have been taken. */
  async finish(): Promise<StoredImage> {
    await this.settled();
    if (this.ranges) this.addHole(this.imageBytes);
    const names = (await Promise.all(this.entries.map((entry) => entry.names))).flat();
    const sha256 = await this.digests.finish();
    if (this.reading) leaveMemory(this.reading);
    return {
      bytes: this.ranges ? this.imageBytes : this.handedOver,
      chunkBytes,
      chunks: Buffer.concat(names),
      sha256,
    };
  }

  private newPieces(): PieceDigests | undefined {
    const isWhole = this.ranges !== undefined && rangesBytes(this.ranges) === this.imageBytes;
    if (!isWhole || !isComparedInPieces(this.imageBytes)) return undefined;
    return new PieceDigests('md5', coarseBytes, this.shelf.workers);
  }

  /** A block ends where its range does. */
  private roomOfBlock(): number {
    if (!this.ranges) return blockBytes;
    return Math.min(blockBytes, rangesTail(this.ranges, this.handedOver)[0]?.bytes ?? 0);
  }

  private handOver(memory: SharedArrayBuffer, bytes: number, onStored: (bytes: number) => void): void {
    const next = this.ranges && rangesTail(this.ranges, this.handedOver)[0];
    if (next) this.addHole(next.offset);
    const block = { memory, bytes };
    // Where the cable is what is waited for, or a processor has nothing else to do, there is time for them.
    const hasTime = hasSpareProcessor || this.store.blocks.inUse <= 2;
    const digested = Promise.all([
      this.digests.update(block),
      this.pieces?.update(this.handedOver, block, hasTime),
    ]);
    const names = this.store.store(block);
    this.handedOver += bytes;
    this.entries.push({ taken: this.handedOver, names });
    Promise.all([digested, names])
      .then(
        () => onStored(bytes),
        (error: unknown) => (this.failure ??= error),
      )
      .finally(() => this.store.blocks.giveBack(memory));
  }

  /** Names of zeros from the end of what was taken up to a place in the image. */
  private addHole(until: number): void {
    const last = this.rangesRead.at(-1);
    const from = Math.ceil((last ? last.offset + last.bytes : 0) / chunkBytes);
    const chunks = Math.ceil(until / chunkBytes) - from;
    if (chunks <= 0) return;
    this.entries.push({
      taken: this.handedOver,
      names: Promise.resolve(Array.from({ length: chunks }, () => zeroDigest)),
    });
  }

  private async settled(): Promise<void> {
    await Promise.all(this.entries.map((entry) => entry.names));
    if (this.failure) throw this.failure as Error;
  }
}

function namesIn(chunks: Buffer): Buffer[] {
  const names: Buffer[] = [];
  for (let at = 0; at < chunks.length; at += digestBytes) names.push(chunks.subarray(at, at + digestBytes));
  return names;
}
