/**
 * Cuts a stream into pieces of exactly `chunkBytes`, the last one shorter.
 * A piece is a buffer of its own, so it may be handed to another thread.
 */
export async function* cutFixed(
  stream: AsyncIterable<Uint8Array>,
  chunkBytes: number,
): AsyncGenerator<Uint8Array<ArrayBuffer>> {
  let chunk = new Uint8Array(chunkBytes);
  let filled = 0;
  for await (const part of stream) {
    for (let at = 0; at < part.length;) {
      const take = Math.min(chunkBytes - filled, part.length - at);
      chunk.set(part.subarray(at, at + take), filled);
      filled += take;
      at += take;
      if (filled === chunkBytes) {
        yield chunk;
        chunk = new Uint8Array(chunkBytes);
        filled = 0;
      }
    }
  }
  if (filled > 0) yield chunk.slice(0, filled);
}
