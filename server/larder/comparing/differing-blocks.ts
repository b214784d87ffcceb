import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { ImageRecipe } from '../../shelf/image-reader.ts';
import { digestBytes } from '../../shelf/packs/pack-format.ts';

/** An image of the shelf, and its bytes. */
export interface ReadableImage {
  readonly image: ImageRecipe;
  readonly source: ByteSource;
}

const blockBytes = 4096;

/**
 * Where two images with chunks of one size differ, to the block of 4 KiB. Chunks of the same name are the same; a pair that is not is read
 * once, however many files lie in it.
 */
export class DifferingBlocks {
  /** By the number of a chunk, of each of its blocks whether it differs. */
  private readonly known = new Map<number, Promise<Uint8Array>>();

  constructor(
    private readonly a: ReadableImage,
    private readonly b: ReadableImage,
  ) {}

  /** Offset of the first differing block that touches a range of both images; undefined where none does. */
  async firstIn({ offset, bytes }: ByteRange): Promise<number | undefined> {
    const { chunkBytes } = this.a.image;
    const end = offset + bytes;
    for (let chunk = Math.floor(offset / chunkBytes); chunk * chunkBytes < end; chunk++) {
      if (this.hasSameName(chunk)) continue;
      const differs = await this.blocksOf(chunk);
      const start = chunk * chunkBytes;
      for (let i = Math.max(0, Math.floor((offset - start) / blockBytes)); i < differs.length; i++) {
        const at = start + i * blockBytes;
        if (at >= end) break;
        if (differs[i]) return at;
      }
    }
    return undefined;
  }

  private hasSameName(chunk: number): boolean {
    const name = ({ image }: ReadableImage) =>
      image.chunks.subarray(chunk * digestBytes, (chunk + 1) * digestBytes);
    return name(this.a).equals(name(this.b));
  }

  private blocksOf(chunk: number): Promise<Uint8Array> {
    const known = this.known.get(chunk) ?? this.compare(chunk);
    this.known.set(chunk, known);
    return known;
  }

  private async compare(chunk: number): Promise<Uint8Array> {
    const { chunkBytes } = this.a.image;
    const [a, b] = await Promise.all(
      [this.a, this.b].map(async ({ image, source }) => {
        const left = Math.max(0, image.bytes - chunk * chunkBytes);
        const read = await source.read(chunk * chunkBytes, Math.min(chunkBytes, left));
        return Buffer.from(read.buffer, read.byteOffset, read.length);
      }),
    );
    return Uint8Array.from({ length: Math.ceil(chunkBytes / blockBytes) }, (_, i) => {
      const [from, to] = [i * blockBytes, (i + 1) * blockBytes];
      return a!.subarray(from, to).equals(b!.subarray(from, to)) ? 0 : 1;
    });
  }
}
