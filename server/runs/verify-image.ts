import type { ImageRow } from '../database/sets.ts';
import { DamagedImage, readBlocks } from '../shelf/image-reader.ts';
import type { Shelf } from '../shelf/shelf.ts';

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
  for await (const block of readBlocks(shelf, image)) {
    signal.throwIfAborted();
    void digests.update(block).then(block.release);
    passed(block.bytes);
  }
  const { sha256, md5 } = await digests.finish();
  if (!sha256.equals(image.sha256) || !md5.equals(image.md5)) {
    throw new DamagedImage(
      `${image.partition}: the stored bytes have the SHA-256 ${sha256.toString('hex')}, not ${image.sha256.toString('hex')}.`,
    );
  }
}
