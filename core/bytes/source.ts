import { FormatError } from './format-error.ts';

/** Bytes with random access: a file, a partition on a phone, an image on the shelf. */
export interface ByteSource {
  /** Total size in bytes. */
  readonly bytes: number;
  /** Reads exactly `length` bytes at `offset`; both within the source. They may be the source's own: nobody writes into them. */
  read(offset: number, length: number): Promise<Uint8Array>;
}

export const memorySource = (bytes: Uint8Array): ByteSource => ({
  bytes: bytes.length,
  read: (offset, length) => Promise.resolve(bytes.subarray(offset, offset + length)),
});

/**
 * Reads a range that a file itself named.
 * @throws FormatError when it does not lie within the source
 */
export async function readWithin(
  source: ByteSource,
  offset: number,
  length: number,
  format: string,
  field: string,
): Promise<Uint8Array> {
  if (!(offset >= 0 && length >= 0 && offset + length <= source.bytes)) {
    throw new FormatError(
      format,
      field,
      Math.max(0, offset),
      `bytes ${offset} to ${offset + length} lie outside the ${source.bytes} there are`,
    );
  }
  const bytes = await source.read(offset, length);
  if (bytes.length !== length) {
    throw new FormatError(format, field, offset, `${bytes.length} of ${length} bytes could be read`);
  }
  return bytes;
}

/** A part of a source as a source of its own. */
export const slice = (source: ByteSource, start: number, bytes: number): ByteSource => ({
  bytes,
  read: (offset, length) => source.read(start + offset, length),
});

/** A source of which a few bytes read otherwise. */
export const overlaid = (source: ByteSource, at: number, bytes: Uint8Array): ByteSource => ({
  bytes: source.bytes,
  async read(offset, length) {
    const found = new Uint8Array(await source.read(offset, length));
    const [from, to] = [Math.max(at, offset), Math.min(at + bytes.length, offset + found.length)];
    if (from < to) found.set(bytes.subarray(from - at, to - at), from - offset);
    return found;
  },
});

/**
 * Keeps the last blocks read, for sources where every read is a round trip.
 * @param blockBytes what is fetched at once
 * @param blocks how many blocks are kept
 */
export function cached(source: ByteSource, blockBytes = 65536, blocks = 64): ByteSource {
  const kept = new Map<number, Promise<Uint8Array>>();
  /** Read last: it stands last already. */
  let last: number | undefined;
  const block = (index: number) => {
    const known = kept.get(index);
    if (known) {
      if (index !== last) {
        kept.delete(index);
        kept.set(index, known);
        last = index;
      }
      return known;
    }
    last = index;
    const start = index * blockBytes;
    const fetched = source.read(start, Math.min(blockBytes, source.bytes - start));
    kept.set(index, fetched);
    fetched.catch(() => kept.delete(index));
    if (kept.size > blocks) kept.delete(kept.keys().next().value!);
    return fetched;
  };
  return {
    bytes: source.bytes,
    async read(offset, length) {
      if (length > blockBytes * 8) return source.read(offset, length);
      const first = offset % blockBytes;
      // Within one block nothing is copied.
      if (length > 0 && first + length <= blockBytes)
        return (await block(Math.floor(offset / blockBytes))).subarray(first, first + length);
      const out = new Uint8Array(length);
      for (let done = 0; done < length;) {
        const at = offset + done;
        const bytes = await block(Math.floor(at / blockBytes));
        const within = at % blockBytes;
        const part = bytes.subarray(within, within + length - done);
        if (part.length === 0) return out.subarray(0, done);
        out.set(part, done);
        done += part.length;
      }
      return out;
    },
  };
}
