import { Readable } from 'node:stream';
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
