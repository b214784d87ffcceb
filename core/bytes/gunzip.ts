import { FormatError } from './format-error.ts';
import { joinBytes } from './join.ts';

const mostUnpacked = 256 << 20;

/** What a gzip holds. @throws FormatError when it is not whole, or holds more than any boot image does */
export async function gunzip(bytes: Uint8Array): Promise<Uint8Array> {
  const { readable, writable } = new DecompressionStream('gzip');
  const writer = writable.getWriter();
  // What is wrong shows at the other end as well.
  const written = writer
    .write(Uint8Array.from(bytes))
    .then(() => writer.close())
    .catch(() => undefined);
  const parts: Uint8Array[] = [];
  let unpacked = 0;
  try {
    const reader = readable.getReader();
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      unpacked += value!.length;
      if (unpacked > mostUnpacked) throw new Error(`it holds more than ${mostUnpacked} bytes`);
      parts.push(value!);
    }
  } catch (error) {
    throw new FormatError('gzip', 'data', 0, (error as Error).message);
  }
  await written;
  return joinBytes(parts);
}
