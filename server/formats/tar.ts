import { createHash } from 'node:crypto';
import { Readable, type Writable } from 'node:stream';
import { extract, type Extract, type Header } from 'tar-stream';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readUtf8 } from '@keen-larder/core/bytes/text.ts';

type Entry = Extract extends AsyncIterable<infer Item> ? Item : never;

/** A tar header, behind which the file's bytes begin (POSIX pax, ustar interchange format). */
const headerBytes = 512;
/** Where the mark stands in a header, of ustar and pax and of GNU's older form alike. */
const magicAt = 257;

export const looksLikeTar = (head: Uint8Array): boolean =>
  readUtf8(head.subarray(magicAt, magicAt + 5)) === 'ustar';

export interface TarEntry {
  readonly header: Header;
  /** Where its bytes begin in the archive. */
  readonly offset: number;
}

/** The entries of a tar archive in order, their contents passed over. @throws FormatError when it is damaged */
export async function* tarEntries(stream: AsyncIterable<Uint8Array>): AsyncGenerator<TarEntry> {
  const reader = extract() as unknown as NodeJS.WritableStream &
    AsyncIterable<Entry> & { destroy(error?: Error): void };
  const source = Readable.from(stream);
  let fromSource: unknown;
  source.on('error', (error) => {
    fromSource = error;
    reader.destroy(error);
  });
  source.pipe(reader);
  let at = 0;
  try {
    for await (const entry of reader) {
      at = entry.offset;
      yield { header: entry.header, offset: entry.offset + headerBytes };
      entry.resume();
    }
  } catch (error) {
    if (fromSource) throw fromSource;
    throw new FormatError('tar', 'header', at, (error as Error).message);
  } finally {
    source.destroy();
  }
}

/** Hands an archive on as it comes and digests the files in it on the way. @param digests of files, by their names in it */
export async function* digestedFiles(
  stream: AsyncIterable<Uint8Array>,
  digests: Map<string, string>,
): AsyncGenerator<Uint8Array> {
  // A stream of another kind than Node's, which its types do not hide; it works as one.
  const reader = extract() as unknown as Writable & AsyncIterable<Entry>;
  const read = (async () => {
    for await (const entry of reader) {
      if (entry.header.type === 'file') {
        const hash = createHash('sha256');
        for await (const part of entry) hash.update(part as Uint8Array);
        digests.set(entry.header.name, hash.digest('hex'));
      } else entry.resume();
    }
  })();
  read.catch(() => undefined);
  try {
    for await (const part of stream) {
      // What is handed on is good until the next piece is asked for; the reader keeps it longer.
      const own = Buffer.from(part);
      if (!reader.write(own))
        await Promise.race([new Promise((resolve) => reader.once('drain', resolve)), read]);
      yield own;
    }
    reader.end();
    await read;
  } finally {
    reader.destroy();
  }
}
