import { BlockPool } from './threads/block-pool.ts';
import type { Block, Stored } from './threads/chunk-worker.ts';
import { digestsOf } from './manifest.ts';
import { blockBytes, codecs, digestBytes } from './packs/pack-format.ts';
import { sealedOverhead } from './packs/sealed-record.ts';
import type { Shelf } from './shelf.ts';
import { DamagedImage, ShelfFailure } from '../failures.ts';

/** What is needed to read an image back. */
export interface ImageRecipe {
  readonly partition: string;
  readonly bytes: number;
  readonly chunkBytes: number;
  readonly chunks: Buffer;
}

/** A block of an image in shared memory, which is used again once it was released. */
export interface ReadBlock extends Block {
  release(): void;
}

/** Part of an image, in bytes. */
export interface ImageRange {
  readonly offset: number;
  readonly bytes: number;
}

/** What every block of zeros is: it is never written to. */
const zeros = new SharedArrayBuffer(blockBytes);
/** Blocks fetched and unpacked ahead of whoever takes them. */
const ahead = 4;
/** Blocks that the taker may hold besides. */
const held = 2;
/** Memory of a reader. */
export interface ReadingMemory {
  readonly inputs: BlockPool;
  readonly outputs: BlockPool;
}

/**
 * Memory for reads one after the other, where blocks of one may still be held while the next goes on.
 * @param blocksAhead that are fetched and unpacked ahead
 */
export const readingMemory = (blocksAhead = ahead): ReadingMemory => ({
  inputs: new BlockPool(blocksAhead),
  outputs: new BlockPool(blocksAhead + held),
});

/** Whoever has no more to read leaves its memory to others. */
export function leaveMemory({ inputs, outputs }: ReadingMemory): void {
  inputs.rest();
  outputs.rest();
}

/**
 * An image's blocks from first to last, every chunk checked against its digest; of a range, the blocks from
 * the chunk in which it begins to the chunk in which it ends. The next one comes when there is memory for it: blocks are to be
 * released, in whatever order.
 * @param memory of the taker's own, who reads several ranges one after the other
 * @throws DamagedImage naming the pack and place of a chunk that is not as it was
 */
export async function* readBlocks(
  shelf: Shelf,
  image: ImageRecipe,
  range: ImageRange = { offset: 0, bytes: image.bytes },
  memory?: ReadingMemory,
): AsyncGenerator<ReadBlock> {
  const end = Math.ceil((range.offset + range.bytes) / image.chunkBytes);
  const first = Math.floor(range.offset / image.chunkBytes);
  const digests = digestsOf(image.chunks.subarray(first * digestBytes, end * digestBytes));
  const chunksInBlock = blockBytes / image.chunkBytes;
  const pools = memory ?? readingMemory();
  const { inputs, outputs } = pools;
  let isOver = false;
  const queue: Promise<Block>[] = [];
  let next = 0;
  const fill = () => {
    while (next < digests.length && queue.length < ahead) {
      const block = readBlock(
        shelf,
        image,
        first + next,
        digests.slice(next, next + chunksInBlock),
        inputs,
        outputs,
      );
      block.catch(() => undefined);
      queue.push(block);
      next += chunksInBlock;
    }
  };
  const giveBack = (block: Block) => {
    if (block.memory === zeros) return;
    outputs.giveBack(block.memory);
    if (isOver) outputs.rest();
  };
  fill();
  try {
    while (queue.length > 0) {
      const block = await queue.shift()!;
      fill();
      yield { ...block, release: () => giveBack(block) };
    }
  } finally {
    // What is still being read of an image that nobody wants any more.
    void Promise.all(queue.map((block) => block.then(giveBack, () => undefined))).then(() => {
      isOver = memory === undefined;
      if (isOver) leaveMemory(pools);
    });
  }
}

/**
 * An image's bytes from first to last, or a range of them; each piece is the taker's own.
 * @throws DamagedImage
 */
export async function* readImage(
  shelf: Shelf,
  image: ImageRecipe,
  range?: ImageRange,
): AsyncGenerator<Buffer> {
  for await (const shared of readInPlace(shelf, image, range)) {
    const piece = Buffer.allocUnsafeSlow(shared.length);
    shared.copy(piece);
    yield piece;
  }
}

/** As `readImage`, where a piece is shared memory that is good only until the next one is asked for. */
export async function* readInPlace(
  shelf: Shelf,
  image: ImageRecipe,
  range: ImageRange = { offset: 0, bytes: image.bytes },
): AsyncGenerator<Buffer> {
  const end = range.offset + range.bytes;
  let at = Math.floor(range.offset / image.chunkBytes) * image.chunkBytes;
  for await (const { memory, bytes, release } of readBlocks(shelf, image, range)) {
    const from = Math.max(at, range.offset);
    const to = Math.min(at + bytes, end);
    yield Buffer.from(memory, from - at, to - from);
    release();
    at += bytes;
  }
}

/** Fetches and unpacks the chunks of one block. */
async function readBlock(
  shelf: Shelf,
  image: ImageRecipe,
  first: number,
  digests: readonly (Buffer | undefined)[],
  inputs: BlockPool,
  outputs: BlockPool,
): Promise<Block> {
  const start = first * image.chunkBytes;
  const bytes = Math.min(digests.length * image.chunkBytes, image.bytes - start);
  if (digests.every((digest) => !digest)) return { memory: zeros, bytes };
  const memory = await outputs.take();
  const input = await inputs.take();
  try {
    await unpackInto(shelf, image, start, digests, input, memory);
    return { memory, bytes };
  } finally {
    inputs.giveBack(input);
  }
}

/**
 * Fetches the chunks that begin at an offset of an image, and puts their plain bytes one behind the other into `output`.
 * @param input memory to unpack from, with room for as many chunks of `mostStoredBytes`
 * @param output with room for as many whole chunks
 * @throws DamagedImage
 */
export async function unpackInto(
  shelf: Shelf,
  image: ImageRecipe,
  start: number,
  digests: readonly (Buffer | undefined)[],
  input: SharedArrayBuffer,
  output: SharedArrayBuffer,
): Promise<void> {
  const chunks = await fetchChunks(shelf, image, start, digests, input, output);
  if (chunks.length === 0) return;
  const fault = await shelf.workers.unpackChunks(input, output, chunks, shelf.seal.master);
  if (!fault) return;
  const { digest, plainOffset, plainBytes } = chunks[fault.index]!;
  shelf.reportDamage(digest, fault.what);
  const where = rangeText(image, start + plainOffset, plainBytes);
  throw new DamagedImage(`${where}: the chunk in ${shelf.placeOf(digest)} ${fault.what}.`);
}

/**
 * Reads the stored bytes of a block's chunks into `input`; what is stored plain and what is zeros goes to its place
 * in `output` at once.
 */
async function fetchChunks(
  shelf: Shelf,
  image: ImageRecipe,
  start: number,
  digests: readonly (Buffer | undefined)[],
  input: SharedArrayBuffer,
  output: SharedArrayBuffer,
): Promise<Stored[]> {
  const chunks: Stored[] = [];
  const reads: Promise<void>[] = [];
  for (const [i, digest] of digests.entries()) {
    const plainOffset = i * image.chunkBytes;
    const plainBytes = Math.min(image.chunkBytes, image.bytes - start - plainOffset);
    if (!digest) {
      Buffer.from(output).fill(0, plainOffset, plainOffset + plainBytes);
      continue;
    }
    const where = rangeText(image, start + plainOffset, plainBytes);
    const row = shelf.find(digest);
    if (!row) throw new DamagedImage(`${where}: the shelf has no chunk ${digest.toString('hex')}.`);
    // A chunk is never stored in more bytes than it has, but for its seal; so each has its own room.
    if (row.storedBytes > image.chunkBytes + (row.codec === codecs.sealed ? sealedOverhead : 0)) {
      throw new DamagedImage(`${where}: the catalogue gives ${row.storedBytes} stored bytes.`);
    }
    const [memory, offset] =
      row.codec === codecs.plain ? [output, plainOffset] : [input, i * (image.chunkBytes + sealedOverhead)];
    const stored = Buffer.from(memory, offset, row.storedBytes);
    reads.push(
      shelf.readStored(row, stored).catch((error: unknown) => {
        if (error instanceof ShelfFailure) throw error;
        shelf.reportDamage(digest, `cannot be read (${(error as Error).message})`);
        throw new DamagedImage(
          `${where}: ${shelf.placeOf(digest)} cannot be read (${(error as Error).message}).`,
        );
      }),
    );
    chunks.push({
      codec: row.codec,
      offset,
      bytes: row.storedBytes,
      // By itself: a view would take the whole list of the image's chunks along to the other thread, with each block.
      digest: new Uint8Array(digest),
      plainOffset,
      plainBytes,
    });
  }
  const settled = await Promise.allSettled(reads);
  for (const each of settled) if (each.status === 'rejected') throw each.reason;
  return chunks;
}

const rangeText = ({ partition }: ImageRecipe, offset: number, bytes: number): string =>
  `${partition}, bytes ${offset} to ${offset + bytes}`;
