import { createHash } from 'node:crypto';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { giveWay } from '../async/give-way.ts';
import { readBlocks, readInPlace, type ImageRecipe } from './image-reader.ts';
import type { ImageRow } from '../database/sets.ts';
import { packChunkList } from './manifest.ts';
import { wholeOf } from './image-writer.ts';
import type { PieceDigests } from './piece-digests.ts';
import type { Shelf } from './shelf.ts';
import { DamagedImage } from '../failures.ts';

/** An image, or a part of a copy, and which of its bytes were read; all of them where that is null. */
interface StoredBytes extends ImageRecipe {
  readonly ranges: string | null;
}

/** What a set's manifest lists of its images, by partition. */
export type ListedImages = ReadonlyMap<string, { readonly sha256: string; readonly chunks: Buffer }>;

/** Reads a set's manifest; nothing where it cannot be read. */
export async function listedImages(shelf: Shelf, setId: string): Promise<ListedImages> {
  const { images } = await shelf.manifests.read(setId).catch(() => ({ images: [] }));
  return new Map(
    images.map(({ partition, sha256, chunks }) => [partition, { sha256, chunks: packChunkList(chunks) }]),
  );
}

/** Whether the chunks of an image are as its manifest lists them. */
export function isListed(
  listed: ListedImages,
  { partition, sha256, chunks }: Pick<ImageRow, 'partition' | 'sha256' | 'chunks'>,
): boolean {
  const found = listed.get(partition);
  return found?.sha256 === sha256.toString('hex') && found.chunks.equals(chunks);
}

/**
 * Reads a stored image whole; every chunk is checked against its name on the way. That the list of chunks is the image's is for others
 * to vouch for.
 * @param passed told the bytes as they are read
 * @throws DamagedImage saying which place is damaged
 */
export async function checkChunks(
  shelf: Shelf,
  image: ImageRecipe,
  signal: AbortSignal,
  passed: (bytes: number) => void,
  pieces?: PieceDigests,
): Promise<void> {
  let offset = 0;
  for await (const block of readBlocks(shelf, image)) {
    signal.throwIfAborted();
    void (pieces?.update(offset, block) ?? Promise.resolve()).then(block.release, block.release);
    offset += block.bytes;
    passed(block.bytes);
  }
}

/**
 * Reads a stored image whole and compares its digest.
 * @param passed told the bytes as they are read
 * @throws DamagedImage saying which place is damaged
 */
export async function verifyImage(
  shelf: Shelf,
  image: StoredBytes & { readonly sha256: Buffer },
  signal: AbortSignal,
  passed: (bytes: number) => void,
  pieces?: PieceDigests,
): Promise<void> {
  const sha256 = await digestStored(shelf, image, signal, passed, pieces);
  if (!sha256.equals(image.sha256)) {
    throw new DamagedImage(
      `${image.partition}: the stored bytes have the SHA-256 ${sha256.toString('hex')}, not ${image.sha256.toString('hex')}.`,
    );
  }
}

/** Digest of all bytes of an image, holes included, by either algorithm. */
export const digestWhole = (
  shelf: Shelf,
  image: ImageRecipe,
  by: 'sha256' | 'md5',
  signal?: AbortSignal,
): Promise<Buffer> => {
  const whole = { ...image, ranges: null };
  return by === 'sha256' ? digestStored(shelf, whole, signal) : md5Stored(shelf, whole, signal);
};

/** As `digestStored`, where a phone computes no better digest. */
export async function md5Stored(shelf: Shelf, image: StoredBytes, signal?: AbortSignal): Promise<Buffer> {
  const md5 = createHash('md5');
  for (const range of rangesOf(image)) {
    signal?.throwIfAborted();
    for await (const part of readInPlace(shelf, image, range)) {
      md5.update(part);
      await giveWay();
    }
  }
  return md5.digest();
}

/** SHA-256 of what an image's own digest covers: everything, or the ranges that were read. */
export async function digestStored(
  shelf: Shelf,
  image: StoredBytes,
  signal?: AbortSignal,
  passed: (bytes: number) => void = () => undefined,
  pieces?: PieceDigests,
): Promise<Buffer> {
  const digests = shelf.workers.digestStream();
  for (const range of rangesOf(image)) {
    let { offset } = range;
    for await (const block of readBlocks(shelf, image, range)) {
      signal?.throwIfAborted();
      void Promise.all([digests.update(block), pieces?.update(offset, block)]).then(
        block.release,
        block.release,
      );
      offset += block.bytes;
      passed(block.bytes);
    }
  }
  return digests.finish();
}

const rangesOf = ({ ranges, bytes }: StoredBytes): readonly ByteRange[] =>
  ranges === null ? wholeOf(bytes) : (JSON.parse(ranges) as ByteRange[]);
