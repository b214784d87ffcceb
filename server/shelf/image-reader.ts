import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { digestsOf } from './manifest.ts';
import type { Shelf } from './shelf.ts';

/** What is needed to read an image back. */
export interface ImageRecipe {
  readonly partition: string;
  readonly bytes: number;
  readonly chunkBytes: number;
  readonly chunks: Buffer;
}

/** Stored bytes that are not what they were. */
export class DamagedImage extends Error {
  override readonly name = 'DamagedImage';
}

/** Chunks fetched and unpacked ahead of the reader. */
const ahead = 12;

/**
 * An image's bytes from first to last, every chunk checked against its digest.
 * @throws DamagedImage naming the pack and place of a chunk that is not as it was
 */
export async function* readImage(shelf: Shelf, image: ImageRecipe): AsyncGenerator<Uint8Array> {
  const digests = digestsOf(image.chunks);
  const queue: Promise<Uint8Array>[] = [];
  let next = 0;
  const fill = () => {
    while (next < digests.length && queue.length < ahead) {
      const chunk = readChunk(shelf, image, next, digests[next]);
      chunk.catch(() => undefined);
      queue.push(chunk);
      next++;
    }
  };
  fill();
  while (queue.length > 0) {
    yield await queue.shift()!;
    fill();
  }
}

/** An image on the shelf with random access, for looking inside without unpacking it. */
export function imageSource(shelf: Shelf, image: ImageRecipe): ByteSource {
  const digests = digestsOf(image.chunks);
  return {
    bytes: image.bytes,
    async read(offset, length) {
      const out = new Uint8Array(length);
      for (let done = 0; done < length;) {
        const at = offset + done;
        const index = Math.floor(at / image.chunkBytes);
        const chunk = await readChunk(shelf, image, index, digests[index]);
        const within = at % image.chunkBytes;
        const part = chunk.subarray(within, within + length - done);
        out.set(part, done);
        done += part.length;
      }
      return out;
    },
  };
}

async function readChunk(
  shelf: Shelf,
  image: ImageRecipe,
  index: number,
  digest: Buffer | undefined,
): Promise<Uint8Array> {
  const offset = index * image.chunkBytes;
  const plainBytes = Math.min(image.chunkBytes, image.bytes - offset);
  if (!digest) return new Uint8Array(plainBytes);
  const where = `${image.partition}, bytes ${offset} to ${offset + plainBytes}`;
  const row = shelf.find(digest);
  if (!row) throw new DamagedImage(`${where}: the shelf has no chunk ${digest.toString('hex')}.`);
  const place = `${shelf.packName(row.packId)} at ${row.offset}`;
  let stored: Buffer;
  try {
    stored = await shelf.readStored(row);
  } catch (error) {
    throw new DamagedImage(`${where}: ${place} cannot be read (${(error as Error).message}).`);
  }
  const plain = await shelf.workers.unpackChunk({ digest, codec: row.codec, stored, plainBytes });
  if (typeof plain === 'string') throw new DamagedImage(`${where}: the chunk in ${place} ${plain}.`);
  return plain;
}
