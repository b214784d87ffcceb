import { PassThrough, Readable } from 'node:stream';
import unbzip2 from 'unbzip2-stream';

export const bzip2Mark = [0x42, 0x5a, 0x68];

/** @throws Error when it is damaged or ends too early */
export async function* unpackBzip2Stream(stream: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const source = Readable.from(stream, { objectMode: false });
  const unpacker = unbzip2();
  // It is of the older kind, which errors do not travel through.
  const out = new PassThrough({ highWaterMark: 1 << 20 });
  unpacker.pipe(out);
  unpacker.on('error', (error: Error) => out.destroy(error));
  source.on('error', (error) => out.destroy(Object.assign(error, { fromSource: true })));
  source.pipe(unpacker);
  try {
    for await (const part of out) yield part as Buffer;
  } finally {
    source.destroy();
    out.destroy();
  }
}
