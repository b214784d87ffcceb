import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { readBlocks, type ImageRecipe } from './image-reader.ts';
import { wholeOf } from './image-writer.ts';
import type { Shelf } from './shelf.ts';
import { DamagedImage } from '../failures.ts';

/** An image, or a part of a copy, and which of its bytes were read; all of them where that is null. */
interface StoredBytes extends ImageRecipe {
  readonly ranges: string | null;
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
): Promise<void> {
  const sha256 = await digestStored(shelf, image, signal, passed);
  if (!sha256.equals(image.sha256)) {
    throw new DamagedImage(
      `${image.partition}: the stored bytes have the SHA-256 ${sha256.toString('hex')}, not ${image.sha256.toString('hex')}.`,
    );
  }
}

/** SHA-256 of what an image's own digest covers: everything, or the ranges that were read. */
export async function digestStored(
  shelf: Shelf,
  image: StoredBytes,
  signal?: AbortSignal,
  passed: (bytes: number) => void = () => undefined,
): Promise<Buffer> {
  const ranges = image.ranges === null ? wholeOf(image.bytes) : (JSON.parse(image.ranges) as ByteRange[]);
  const digests = shelf.workers.digestStream();
  for (const range of ranges) {
    for await (const block of readBlocks(shelf, image, range)) {
      signal?.throwIfAborted();
      void digests.update(block).then(block.release, block.release);
      passed(block.bytes);
    }
  }
  return digests.finish();
}

/** SHA-256 over all bytes of an image, holes included. */
export const digestWhole = (shelf: Shelf, image: ImageRecipe, signal?: AbortSignal): Promise<Buffer> =>
  digestStored(shelf, { ...image, ranges: null }, signal);
