import { joinBytes } from '@keen-larder/core/bytes/join.ts';

/** The first bytes of a stream, which is given up then. */
export async function beginning(stream: AsyncIterable<Uint8Array>, bytes: number): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let had = 0;
  for await (const part of stream) {
    parts.push(part);
    had += part.length;
    if (had >= bytes) break;
  }
  return joinBytes(parts).subarray(0, bytes);
}
