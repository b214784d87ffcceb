import type { ImageRow } from '../database/sets.ts';
import { DamagedImage, readImage } from '../shelf/image-reader.ts';
import { BlockPool, copyToShared } from '../shelf/block-pool.ts';
import type { Shelf } from '../shelf/shelf.ts';

/** Blocks of shared memory between reading and digesting. */
const blocksAtOnce = 4;

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
  const digests = shelf.workers.digestStream();
  const blocks = new BlockPool(blocksAtOnce);
  for await (const part of readImage(shelf, image)) {
    signal.throwIfAborted();
    const memory = await blocks.take();
    copyToShared(memory, 0, part);
    void digests.update({ memory, bytes: part.length }).then(() => blocks.giveBack(memory));
    passed(part.length);
  }
  const { sha256, md5 } = await digests.finish();
  if (!sha256.equals(image.sha256) || !md5.equals(image.md5)) {
    throw new DamagedImage(
      `${image.partition}: the stored bytes have the SHA-256 ${sha256.toString('hex')}, not ${image.sha256.toString('hex')}.`,
    );
  }
}
