import { FormatError } from './format-error.ts';
import { joinBytes } from './join.ts';

const mostUnpacked = 256 << 20;

/** What a gzip holds (RFC 1952). @throws FormatError when it is not whole, or holds more than any boot image does */
export const gunzip = (bytes: Uint8Array): Promise<Uint8Array> => unpack('gzip', bytes, mostUnpacked);

/**
 * What a raw deflate stream holds (RFC 1951).
 * @param most the bytes it may hold at most
 * @throws FormatError when it is not whole, or holds more
 */
export const inflateRaw = (bytes: Uint8Array, most: number): Promise<Uint8Array> =>
  unpack('deflate-raw', bytes, most);

async function unpack(format: 'gzip' | 'deflate-raw', bytes: Uint8Array, most: number): Promise<Uint8Array> {
  const { readable, writable } = new DecompressionStream(format);
  const writer = writable.getWriter();
  // What is wrong shows at the other end as well.
  const written = writer
    .write(Uint8Array.from(bytes))
    .then(() => writer.close())
    .catch(() => undefined);
  const parts: Uint8Array[] = [];
  let unpacked = 0;
  const reader = readable.getReader();
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      unpacked += value!.length;
      if (unpacked > most) throw new Error(`it holds more than ${most} bytes`);
      parts.push(value!);
    }
  } catch (error) {
    void reader.cancel().catch(() => undefined);
    throw new FormatError(format, 'data', 0, (error as Error).message);
  }
  await written;
  return joinBytes(parts);
}
