import { PassThrough, Readable } from 'node:stream';
import { crc32 } from 'node:zlib';
import { pipeline } from 'node:stream/promises';
import { fromRandomAccessReader, RandomAccessReader, type Entry, type ZipFile } from 'yauzl';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';

/** Local file header signature, with which every zip but an empty one begins (PKWARE, APPNOTE). */
const mark = [0x50, 0x4b, 0x03, 0x04];
const pieceBytes = 1 << 20;

export const looksLikeZip = (head: Uint8Array): boolean => mark.every((byte, i) => head[i] === byte);

export interface ZipEntry {
  /** With `/` between; never leads out of the archive. */
  readonly name: string;
  /** Unpacked. */
  readonly bytes: number;
  /** Its bytes, held against their CRC. @throws FormatError from the stream */
  content(): AsyncIterable<Uint8Array>;
}

/** A zip's bytes for the library that reads it. */
class SourceReader extends RandomAccessReader {
  constructor(private readonly source: ByteSource) {
    super();
  }

  override _readStreamForRange(start: number, end: number): Readable {
    const { source } = this;
    return Readable.from(
      (async function* () {
        for (let at = start; at < end; at += pieceBytes) {
          yield Buffer.from(await source.read(at, Math.min(pieceBytes, end - at)));
        }
      })(),
    );
  }
}

/**
 * The files of a zip archive in order.
 * @param most entries that it may say it has
 * @throws FormatError when it is damaged, has a password or more entries
 */
export async function* zipEntries(source: ByteSource, most = Infinity): AsyncGenerator<ZipEntry> {
  const fault = (error: unknown) => new FormatError('zip', 'entry', 0, wordsOf(error));
  let zip: ZipFile;
  try {
    zip = await opened(source);
  } catch (error) {
    throw fault(error);
  }
  try {
    if (zip.entryCount > most)
      throw new FormatError('zip', 'entries', 0, `${zip.entryCount}, more than ${most}`);
    for (;;) {
      const entry = await nextOf(zip).catch((error: unknown) => {
        throw fault(error);
      });
      if (!entry) return;
      if (entry.fileName.endsWith('/')) continue;
      if (entry.isEncrypted()) throw new FormatError('zip', 'flags', 0, `${entry.fileName} has a password`);
      yield {
        name: entry.fileName,
        bytes: entry.uncompressedSize,
        content: () => contentOf(zip, entry),
      };
    }
  } finally {
    zip.close();
  }
}

/** A sentence of the library's, as a part of one of ours. */
const wordsOf = (error: unknown) => (error as Error).message.replace(/\.+$/, '');

const opened = (source: ByteSource): Promise<ZipFile> =>
  new Promise((resolve, reject) => {
    const options = { lazyEntries: true, autoClose: false, validateEntrySizes: true } as const;
    fromRandomAccessReader(new SourceReader(source), source.bytes, options, (error, zip) =>
      error ? reject(error) : resolve(zip),
    );
  });

const nextOf = (zip: ZipFile): Promise<Entry | undefined> =>
  new Promise((resolve, reject) => {
    const done = (settle: () => void) => {
      zip.removeListener('entry', onEntry);
      zip.removeListener('end', onEnd);
      zip.removeListener('error', onError);
      settle();
    };
    const onEntry = (entry: Entry) => done(() => resolve(entry));
    const onEnd = () => done(() => resolve(undefined));
    const onError = (error: Error) => done(() => reject(error));
    zip.on('entry', onEntry);
    zip.on('end', onEnd);
    zip.on('error', onError);
    zip.readEntry();
  });

async function* contentOf(zip: ZipFile, entry: Entry): AsyncGenerator<Uint8Array> {
  try {
    const stream = await new Promise<Readable>((resolve, reject) =>
      zip.openReadStream(entry, (error, found) => (error ? reject(error) : resolve(found))),
    );
    const out = new PassThrough();
    const flow = pipeline(stream, out);
    flow.catch(() => undefined);
    let crc = 0;
    for await (const part of out) {
      crc = crc32(part as Uint8Array, crc);
      yield part as Uint8Array;
    }
    await flow;
    if (crc !== entry.crc32) throw new Error('it does not match its CRC');
  } catch (error) {
    throw new FormatError('zip', entry.fileName, 0, wordsOf(error));
  }
}
