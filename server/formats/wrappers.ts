import { createRequire } from 'node:module';
import { Readable, type Duplex } from 'node:stream';
import { createGunzip, createGzip } from 'node:zlib';
import { CompressStream, DecompressStream } from 'zstd-napi';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { counted } from '../async/counted.ts';

// A CommonJS bundle whose exports Node cannot see from outside.
const { XzReadableStream } = createRequire(import.meta.url)(
  'xz-decompress',
) as typeof import('xz-decompress');

/** What a whole file may be compressed with. */
export type Wrapper = 'gzip' | 'zstd' | 'xz';

/** First bytes of each (RFC 1952; RFC 8878; the .xz file format, 2.1.1.1). */
const marks: readonly (readonly [Wrapper, readonly number[]])[] = [
  ['gzip', [0x1f, 0x8b, 0x08]],
  ['zstd', [0x28, 0xb5, 0x2f, 0xfd]],
  ['xz', [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0x00]],
];

export const wrapperOf = (head: Uint8Array): Wrapper | undefined =>
  marks.find(([, mark]) => mark.every((byte, i) => head[i] === byte))?.[0];

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
    const unpacked =
      wrapper === 'xz'
        ? unxz(packed)
        : through(packed, wrapper === 'gzip' ? createGunzip() : new DecompressStream());
    for await (const part of unpacked) {
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

async function* unxz(bytes: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const parts = bytes[Symbol.asyncIterator]();
  // Node's own adapter goes on to push after it was cancelled.
  const source = new ReadableStream<Uint8Array>(
    {
      async pull(controller) {
        const next = await parts.next();
        if (next.done) controller.close();
        else controller.enqueue(next.value);
      },
      cancel: async () => void (await parts.return?.()),
    },
    { highWaterMark: 0 },
  );
  const reader = new XzReadableStream(source).getReader();
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) return;
      yield value;
    }
  } finally {
    await reader.cancel().catch(() => undefined);
    await parts.return?.();
  }
}

const isOfLibrary = (error: unknown) =>
  error instanceof Error &&
  !('fromSource' in error) &&
  (error as NodeJS.ErrnoException).syscall === undefined;
