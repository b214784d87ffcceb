import type { Unpack } from './unpack.ts';
import { joinBytes } from '../join.ts';

/** As browsers do it: through the web's streams. */
export const unpack: Unpack = async (format, bytes, most) => {
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
    throw error;
  }
  await written;
  return joinBytes(parts);
};
