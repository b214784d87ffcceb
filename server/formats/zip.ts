import { PassThrough, Readable } from 'node:stream';
import { crc32 } from 'node:zlib';
import { pipeline } from 'node:stream/promises';
import { fromRandomAccessReader, RandomAccessReader, type Entry, type ZipFile } from 'yauzl';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readWithin, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { sourceBytes } from './file-source.ts';
import { unwrap, type Wrapper } from './unpacking/wrappers.ts';

/** Local file header signature, with which every zip but an empty one begins (PKWARE, APPNOTE). */
const mark = [0x50, 0x4b, 0x03, 0x04];
const pieceBytes = 1 << 20;

export const looksLikeZip = (head: Uint8Array): boolean => mark.every((byte, i) => head[i] === byte);

/** A file of an archive. */
export interface ArchiveEntry {
  /** With `/` between; never leads out of the archive. */
  readonly name: string;
  /** Unpacked. */
  readonly bytes: number;
  /** Why it cannot be unpacked. */
  readonly fault?: string;
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
 * @throws FormatError when it is damaged or has more entries
 */
export async function* zipEntries(source: ByteSource, most = Infinity): AsyncGenerator<ArchiveEntry> {
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
      const refused = faultOf(entry);
      yield {
        name: entry.fileName,
        bytes: entry.uncompressedSize,
        ...(refused !== undefined && { fault: refused }),
        content: () => contentOf(zip, entry, source),
      };
    }
  } finally {
    zip.close();
  }
}

/** Ways to pack that the library leaves to others (PKWARE, APPNOTE, 4.4.5). */
const packedBy: Readonly<Record<number, Wrapper>> = { 12: 'bzip2', 93: 'zstd', 95: 'xz' };
const methodNames: Readonly<Record<number, string>> = { 9: 'deflate64', 14: 'LZMA', 98: 'PPMd' };

function faultOf(entry: Entry): string | undefined {
  if (entry.isEncrypted()) return 'It has a password: unpack the archive, then import its folder.';
  const { compressionMethod: method } = entry;
  if (method === 0 || method === 8 || packedBy[method]) return undefined;
  return `It is packed by ${methodNames[method] ?? `method ${method}`}, which is not read here: unpack the archive, then import its folder.`;
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

async function* unpackedBytes(zip: ZipFile, entry: Entry): AsyncGenerator<Uint8Array> {
  const stream = await new Promise<Readable>((resolve, reject) =>
    zip.openReadStream(entry, (error, found) => (error ? reject(error) : resolve(found))),
  );
  const out = new PassThrough();
  const flow = pipeline(stream, out);
  flow.catch(() => undefined);
  for await (const part of out) yield part as Uint8Array;
  await flow;
}

/** Of a local file header, before names and what else it has (PKWARE, APPNOTE, 4.3.7). */
const localHeaderBytes = 30;

/** What the library does not unpack itself, as it lies there. */
async function packedBytes(entry: Entry, source: ByteSource): Promise<AsyncIterable<Uint8Array>> {
  const at = entry.relativeOffsetOfLocalHeader;
  const head = Buffer.from(await readWithin(source, at, localHeaderBytes, 'zip', 'local header'));
  const start = at + localHeaderBytes + head.readUInt16LE(26) + head.readUInt16LE(28);
  return sourceBytes(source, start, Math.max(0, Math.min(entry.compressedSize, source.bytes - start)));
}

async function* contentOf(zip: ZipFile, entry: Entry, source: ByteSource): AsyncGenerator<Uint8Array> {
  try {
    const wrapper = packedBy[entry.compressionMethod];
    const bytes = wrapper
      ? unwrap(wrapper, await packedBytes(entry, source), entry.uncompressedSize)
      : unpackedBytes(zip, entry);
    let crc = 0;
    let given = 0;
    for await (const part of bytes) {
      crc = crc32(part, crc);
      given += part.length;
      yield part;
    }
    if (given !== entry.uncompressedSize) throw new Error('it is of another size than it says');
    if (crc !== entry.crc32) throw new Error('it does not match its CRC');
  } catch (error) {
    throw new FormatError('zip', entry.fileName, 0, wordsOf(error));
  }
}
