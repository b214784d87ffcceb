import type { ImageRow } from '../database/sets.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { DamagedImage, readBlocks, type ImageRecipe } from '../shelf/image-reader.ts';
import { wholeOf } from '../shelf/image-writer.ts';
import type { Shelf } from '../shelf/shelf.ts';
import type { Digests } from '../shelf/workers.ts';

/**
 * Reads a stored image whole and compares both its digests.
 * @param passed told the bytes as they are read
 * @throws DamagedImage saying which place is damaged
 */
export async function verifyImage(
  shelf: Shelf,
  image: ImageRow,
  signal: AbortSignal,
  passed: (bytes: number) => void,
): Promise<void> {
  const { sha256, md5 } = await digestStored(shelf, image, signal, passed);
  if (!sha256.equals(image.sha256) || !md5.equals(image.md5)) {
    throw new DamagedImage(
      `${image.partition}: the stored bytes have the SHA-256 ${sha256.toString('hex')}, not ${image.sha256.toString('hex')}.`,
    );
  }
}

/** Digests of what an image's own digests cover: everything, or the ranges that were read. */
export async function digestStored(
  shelf: Shelf,
  image: ImageRecipe & { readonly ranges: string | null },
  signal?: AbortSignal,
  passed: (bytes: number) => void = () => undefined,
): Promise<Digests> {
  const ranges = image.ranges === null ? wholeOf(image.bytes) : (JSON.parse(image.ranges) as ByteRange[]);
  const digests = shelf.workers.digestStream();
  for (const range of ranges) {
    for await (const block of readBlocks(shelf, image, range)) {
      signal?.throwIfAborted();
      void digests.update(block).then(block.release);
      passed(block.bytes);
    }
  }
  return digests.finish();
}

/** Digests over all bytes of an image, holes included. */
export const digestWhole = (shelf: Shelf, image: ImageRecipe, signal?: AbortSignal): Promise<Digests> =>
  digestStored(shelf, { ...image, ranges: null }, signal);
