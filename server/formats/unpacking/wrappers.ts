import { Readable, type Duplex } from 'node:stream';
import { createBrotliDecompress, createGunzip, createGzip } from 'node:zlib';
import { CompressStream, DecompressStream } from 'zstd-napi';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { counted } from '../../async/counted.ts';
import { bzip2Mark, unpackBzip2Stream } from './bzip2.ts';
import { u32At } from './byte-reader.ts';
import { frameMark, legacyMark, skippedMagic, unpackLz4Stream } from './lz4.ts';
import { unpackXzStream } from './xz.ts';

/** What a whole file may be compressed with. */
export type Wrapper = 'gzip' | 'zstd' | 'xz' | 'lz4' | 'bzip2';

/** First bytes of each (RFC 1952; RFC 8878; the .xz file format, 2.1.1.1; lz4, doc/lz4_Frame_format.md; bzip2). */
const marks: readonly (readonly [Wrapper, readonly number[]])[] = [
  ['gzip', [0x1f, 0x8b, 0x08]],
  ['zstd', [0x28, 0xb5, 0x2f, 0xfd]],
  ['xz', [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0x00]],
  ['lz4', frameMark],
  ['lz4', legacyMark],
  ['bzip2', bzip2Mark],
];

export function wrapperOf(head: Uint8Array): Wrapper | undefined {
  const found = marks.find(([, mark]) => mark.every((byte, i) => head[i] === byte))?.[0];
  if (found || head.length < 8 || (u32At(head) & ~15) >>> 0 !== skippedMagic) return found;
  // Both zstd and lz4 may begin with what is to be passed over.
  return wrapperOf(head.subarray(8 + u32At(head, 4)));
}

/** No phone has a larger flash: what unpacks to more is made to be endless. */
export const mostUnpackedBytes = 2 * 2 ** 40;

/**
 * Unpacks a compressed stream as it comes.
 * @param most bytes that may come out
 * @throws FormatError when it is damaged, ends too early or unpacks to more
 */
export async function* unwrap(
  wrapper: Wrapper,
  bytes: AsyncIterable<Uint8Array>,
  most = mostUnpackedBytes,
): AsyncGenerator<Uint8Array> {
  let taken = 0;
  let given = 0;
  const packed = counted(bytes, (more) => (taken += more));
  try {
    for await (const part of unpackers[wrapper](packed)) {
      given += part.length;
      if (given > most)
        throw new FormatError(
          wrapper,
          'data',
          taken,
          `it unpacks to more than ${sizeText(most)}, as no phone holds`,
        );
      yield part;
    }
  } catch (error) {
    // An error of whoever gives the bytes is theirs.
    if (error instanceof FormatError || !isOfLibrary(error)) throw error;
    throw new FormatError(wrapper, 'data', taken, (error as Error).message || 'it does not unpack');
  }
}

/** Brotli has no mark: what is packed by it is told by its name. @throws FormatError as `unwrap` */
export async function* unbrotli(bytes: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  try {
    yield* through(bytes, createBrotliDecompress());
  } catch (error) {
    if (error instanceof FormatError || !isOfLibrary(error)) throw error;
    throw new FormatError('brotli', 'data', 0, (error as Error).message || 'it does not unpack');
  }
}

const unpackers: Readonly<
  Record<Wrapper, (packed: AsyncIterable<Uint8Array>) => AsyncGenerator<Uint8Array>>
> = {
  gzip: (packed) => through(packed, createGunzip()),
  zstd: (packed) => through(packed, new DecompressStream()),
  xz: unpackXzStream,
  lz4: unpackLz4Stream,
  bzip2: unpackBzip2Stream,
};

/** gzip's default packs a little better and takes three times as long. */
const gzipLevel = 3;

/** Packs a stream as it comes. */
export const wrap = (
  wrapper: 'gzip' | 'zstd',
  bytes: AsyncIterable<Uint8Array>,
): AsyncGenerator<Uint8Array> =>
  through(bytes, wrapper === 'gzip' ? createGzip({ level: gzipLevel }) : new CompressStream());

async function* through(bytes: AsyncIterable<Uint8Array>, unpacker: Duplex): AsyncGenerator<Uint8Array> {
  const source = Readable.from(bytes, { objectMode: false });
  source.on('error', (error) => unpacker.destroy(Object.assign(error, { fromSource: true })));
  source.pipe(unpacker);
  try {
    for await (const part of unpacker) yield part as Buffer;
  } finally {
    source.destroy();
    unpacker.destroy();
  }
}

const isOfLibrary = (error: unknown) =>
  error instanceof Error &&
  !('fromSource' in error) &&
  (error as NodeJS.ErrnoException).syscall === undefined;
