import { cached, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { unpackInto, type ImageRecipe } from '../../shelf/image-reader.ts';
import { digestsOf } from '../../shelf/manifest.ts';
import { mostStoredBytes } from '../../shelf/packs/sealed-record.ts';
import type { Shelf } from '../../shelf/shelf.ts';

/** Chunks kept at hand while an image is looked into. */
const keptChunks = 96;

/**
 * An image on the shelf with random access: a read unpacks the chunks that it touches and no others.
 * @throws DamagedImage from reads of chunks that are not as they were
 */
export function imageSource(shelf: Shelf, image: ImageRecipe, keptAtHand = keptChunks): ByteSource {
  const { chunkBytes, bytes } = image;
  const digests = digestsOf(image.chunks);
  /** Shared memory costs more to make than a chunk costs to unpack: there is as much as is read at once. */
  const spare: { readonly input: SharedArrayBuffer; readonly output: SharedArrayBuffer }[] = [];
  const readChunk = async (index: number): Promise<Uint8Array> => {
    const start = index * chunkBytes;
    const plainBytes = Math.min(chunkBytes, bytes - start);
    const digest = digests[index];
    if (!digest) return new Uint8Array(plainBytes);
    const memory = spare.pop() ?? {
      input: new SharedArrayBuffer(mostStoredBytes),
      output: new SharedArrayBuffer(chunkBytes),
    };
    try {
      await unpackInto(shelf, image, start, [digest], memory.input, memory.output);
      // The formats' readers take plain memory.
      return new Uint8Array(new Uint8Array(memory.output, 0, plainBytes));
    } finally {
      spare.push(memory);
    }
  };
  const chunked: ByteSource = {
    bytes,
    async read(offset, length) {
      if (offset % chunkBytes === 0 && length > 0 && length <= chunkBytes)
        return (await readChunk(offset / chunkBytes)).subarray(0, length);
      const out = new Uint8Array(Math.min(length, Math.max(0, bytes - offset)));
      for (let done = 0; done < out.length;) {
        const at = offset + done;
        const chunk = await readChunk(Math.floor(at / chunkBytes));
        const part = chunk.subarray(at % chunkBytes, (at % chunkBytes) + out.length - done);
        out.set(part, done);
        done += part.length;
      }
      return out;
    },
  };
  return cached(chunked, chunkBytes, keptAtHand);
}
