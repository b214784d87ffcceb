import { FormatError } from '../../bytes/format-error.ts';
import { cached, readWithin, type ByteSource } from '../../bytes/source.ts';
import { crc32, crc32Combine, crc32Repeated } from '../../bytes/crc32.ts';
import { chunkHeader, chunkTypes, sparseHeader, sparseMagic } from './layouts.ts';

export { sparseMagic };

/** A part of the image that a sparse file describes, in ascending order of `offset`. */
export type SparsePiece =
  | { readonly offset: number; readonly bytes: Uint8Array }
  | { readonly offset: number; readonly fill: number; readonly length: number }
  /** Nothing is said about these bytes; they read as zeros. */
  | { readonly offset: number; readonly skip: number };

const pieceBytes = 1 << 20;
/** Raw chunks lie between their headers; more would be read for nothing. */
const headersAtOnce = 16_384;

const bad = (field: string, offset: number, reason: string) =>
  new FormatError('android-sparse', field, offset, reason);

/** What the header of a sparse image says. */
export interface SparseImage {
  readonly blockBytes: number;
  /** Bytes of the image that it describes. */
  readonly imageBytes: number;
  readonly chunks: number;
}

/** @throws FormatError when it is no sparse image of version 1 */
async function readHeader(source: ByteSource) {
  const head = await readWithin(source, 0, sparseHeader.bytes, 'android-sparse', 'magic');
  const header = sparseHeader.read(head);
  const at = (field: Parameters<typeof sparseHeader.offsetOf>[0]) => sparseHeader.offsetOf(field);
  if (header.magic !== sparseMagic) throw bad('magic', 0, `0x${header.magic.toString(16)}`);
  if (header.majorVersion !== 1) throw bad('majorVersion', at('majorVersion'), `${header.majorVersion}`);
  const { blockBytes } = header;
  if (blockBytes === 0 || blockBytes % 4 !== 0 || blockBytes > 1 << 26) {
    throw bad('blockBytes', at('blockBytes'), `${blockBytes}`);
  }
  if (header.fileHeaderBytes < sparseHeader.bytes || header.chunkHeaderBytes < chunkHeader.bytes) {
    throw bad('fileHeaderBytes', at('fileHeaderBytes'), 'headers are too short');
  }
  if (header.totalBlocks * blockBytes > Number.MAX_SAFE_INTEGER) {
    throw bad('totalBlocks', at('totalBlocks'), `${header.totalBlocks} blocks of ${blockBytes} bytes`);
  }
  return header;
}

/** Reads the header alone. @throws FormatError when it is no sparse image of version 1 */
export async function readSparse(source: ByteSource): Promise<SparseImage> {
  const { blockBytes, totalBlocks, totalChunks } = await readHeader(source);
  return { blockBytes, imageBytes: totalBlocks * blockBytes, chunks: totalChunks };
}

interface Chunk {
  readonly type: number;
  /** In the image. */
  readonly offset: number;
  readonly length: number;
  /** Where its data lies in the file. */
  readonly dataAt: number;
}

/**
 * The chunks' headers in order, each held to its own sizes and to the image.
 * @param source one that keeps what it read: a header has twelve bytes, and there may be millions
 */
async function* chunksOf(
  source: ByteSource,
  header: ReturnType<typeof sparseHeader.read>,
): AsyncGenerator<Chunk> {
  const { blockBytes } = header;
  let at: number = header.fileHeaderBytes;
  let block = 0;
  for (let i = 0; i < header.totalChunks; i++) {
    const chunk = chunkHeader.read(
      await readWithin(source, at, chunkHeader.bytes, 'android-sparse', 'chunkType'),
      0,
      at,
    );
    const length = chunk.chunkBlocks * blockBytes;
    if (block + chunk.chunkBlocks > header.totalBlocks) {
      throw bad('chunkBlocks', at + 4, `chunk ${i} runs past the ${header.totalBlocks} blocks`);
    }
    const expected = { ...payloads, [chunkTypes.raw]: length }[chunk.chunkType];
    if (expected === undefined) throw bad('chunkType', at, `0x${chunk.chunkType.toString(16)}`);
    const dataBytes = chunk.totalBytes - header.chunkHeaderBytes;
    if (dataBytes !== expected) {
      throw bad('totalBytes', at + 8, `chunk ${i} has ${dataBytes} bytes, not ${expected}`);
    }
    yield {
      type: chunk.chunkType,
      offset: block * blockBytes,
      length,
      dataAt: at + header.chunkHeaderBytes,
    };
    block += chunk.chunkBlocks;
    at += chunk.totalBytes;
  }
  if (block !== header.totalBlocks) {
    throw bad(
      'totalBlocks',
      sparseHeader.offsetOf('totalBlocks'),
      `chunks describe ${block} of ${header.totalBlocks}`,
    );
  }
}

/** Bytes behind the header of the chunks that always have as many. */
const payloads: Readonly<Record<number, number>> = {
  [chunkTypes.fill]: 4,
  [chunkTypes.dontCare]: 0,
  [chunkTypes.crc32]: 4,
};

/**
 * The pieces of an Android sparse image, version 1 (AOSP libsparse, sparse_format.h).
 * @throws FormatError when a chunk does not fit its own sizes or the image, or a CRC-32 is wrong
 */
export async function* sparsePieces(source: ByteSource): AsyncGenerator<SparsePiece> {
  const header = await readHeader(source);
  const headers = cached(source, headersAtOnce, 2);
  const crc = (await hasCrc(headers, header)) ? new RunningCrc() : undefined;
  const word = (at: number) => readWithin(headers, at, 4, 'android-sparse', 'chunk data');
  for await (const { type, offset, length, dataAt } of chunksOf(headers, header)) {
    if (type === chunkTypes.raw) {
      for (let done = 0; done < length; done += pieceBytes) {
        const part = Math.min(pieceBytes, length - done);
        const bytes = await readWithin(source, dataAt + done, part, 'android-sparse', 'chunk data');
        crc?.bytes(bytes);
        yield { offset: offset + done, bytes };
      }
    } else if (type === chunkTypes.fill) {
      const bytes = await word(dataAt);
      crc?.repeat(bytes, length);
      yield { offset, fill: asNumber(bytes), length };
    } else if (type === chunkTypes.dontCare) {
      crc?.repeat(new Uint8Array(4), length);
      yield { offset, skip: length };
    } else {
      crc?.compare(asNumber(await word(dataAt)), dataAt);
    }
  }
}

const asNumber = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true);

interface Extent {
  /** In the image. */
  readonly offset: number;
  readonly bytes: number;
  /** In the sparse file; undefined where nothing is said. */
  readonly dataAt?: number;
  /** A word, little-endian, again and again. */
  readonly fill?: number;
}

/**
 * The image that a sparse file describes, with random access and without unpacking it, or the one that
 * several files describe together, each a part. What none of them speaks of reads as zeros.
 * @throws FormatError as `sparsePieces`, and when two parts speak of the same bytes
 */
export async function sparseSource(...parts: readonly ByteSource[]): Promise<ByteSource> {
  const found: PlacedExtent[] = [];
  let bytes = 0;
  for (const source of parts) {
    bytes = Math.max(bytes, await addExtents(source, found));
  }
  // One file has them in order.
  if (parts.length > 1) found.sort((a, b) => a.offset - b.offset);
  for (let i = 1; i < found.length; i++) {
    const before = found[i - 1]!;
    const after = found[i]!;
    if (before.offset + before.bytes > after.offset) {
      throw bad('chunkBlocks', after.dataAt ?? 0, `two parts speak of the bytes from ${after.offset}`);
    }
  }
  return { bytes, read: (offset, length) => readExtents(found, offset, length) };
}

type PlacedExtent = Extent & { readonly source: ByteSource };

/** Adds what one file says, zeros left out. @returns where that ends */
async function addExtents(source: ByteSource, extents: PlacedExtent[]): Promise<number> {
  const header = await readHeader(source);
  const headers = cached(source, headersAtOnce, 2);
  let end = 0;
  for await (const chunk of chunksOf(headers, header)) {
    const { offset, length, type, dataAt } = chunk;
    if (length === 0) continue;
    if (type === chunkTypes.raw) extents.push({ offset, bytes: length, dataAt, source });
    else if (type === chunkTypes.fill) {
      const fill = asNumber(await readWithin(headers, dataAt, 4, 'android-sparse', 'fill value'));
      if (fill !== 0) extents.push({ offset, bytes: length, fill, source });
    }
    end = offset + length;
  }
  return end;
}

/** Fills with a word again and again, little endian. @param at how far into the word it begins */
function fillWord(out: Uint8Array, word: number, at: number): void {
  for (let i = 0; i < Math.min(4, out.length); i++) out[i] = word >>> (8 * ((at + i) % 4));
  for (let done = 4; done < out.length; done *= 2) out.copyWithin(done, 0, done);
}

async function readExtents(
  extents: readonly PlacedExtent[],
  offset: number,
  length: number,
): Promise<Uint8Array> {
  const out = new Uint8Array(length);
  for (let i = firstAt(extents, offset); i < extents.length && extents[i]!.offset < offset + length; i++) {
    const { source, dataAt, fill, ...extent } = extents[i]!;
    const from = Math.max(offset, extent.offset);
    const to = Math.min(offset + length, extent.offset + extent.bytes);
    if (from >= to) continue;
    if (dataAt !== undefined) {
      const at = dataAt + from - extent.offset;
      out.set(await readWithin(source, at, to - from, 'android-sparse', 'chunk data'), from - offset);
    } else {
      fillWord(out.subarray(from - offset, to - offset), fill!, from - extent.offset);
    }
  }
  return out;
}

/** The bytes of the image that a sparse file describes, in order, its CRC-32 checked where it has one. */
export async function* sparseBytes(source: ByteSource): AsyncGenerator<Uint8Array> {
  for await (const piece of sparsePieces(source)) {
    if ('bytes' in piece) {
      yield piece.bytes;
      continue;
    }
    const length = 'skip' in piece ? piece.skip : piece.length;
    const part = new Uint8Array(Math.min(pieceBytes, length));
    if ('fill' in piece) {
      const view = new DataView(part.buffer);
      for (let at = 0; at < part.length; at += 4) view.setUint32(at, piece.fill, true);
    }
    for (let done = 0; done < length; done += pieceBytes) yield part.subarray(0, length - done);
  }
}

/**
 * Reads all of a sparse file that has CRC-32s, and compares them.
 * @returns whether it has any
 * @throws FormatError where one is wrong
 */
export async function checkSparse(source: ByteSource): Promise<boolean> {
  if (!(await hasCrc(cached(source, headersAtOnce, 2), await readHeader(source)))) return false;
  for await (const piece of sparsePieces(source)) void piece;
  return true;
}

/** Position of the first extent that ends behind `offset`. */
function firstAt(extents: readonly Extent[], offset: number): number {
  let [low, high] = [0, extents.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (extents[middle]!.offset + extents[middle]!.bytes <= offset) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** CRC-32 of the image so far, for the CRC chunks that ask for it. */
class RunningCrc {
  private crc = 0;

  bytes(bytes: Uint8Array): void {
    this.crc = crc32Combine(this.crc, crc32(bytes), bytes.length);
  }

  repeat(word: Uint8Array, bytes: number): void {
    this.crc = crc32Combine(this.crc, crc32Repeated(word, bytes / word.length), bytes);
  }

  compare(given: number, offset: number): void {
    if (given === this.crc) return;
    throw bad('CRC-32', offset, `0x${given.toString(16)}; the image so far has 0x${this.crc.toString(16)}`);
  }
}

/** Whether a CRC chunk will come: computing what nobody asks for is slow work for nothing. */
async function hasCrc(source: ByteSource, header: ReturnType<typeof sparseHeader.read>): Promise<boolean> {
  let at: number = header.fileHeaderBytes;
  for (let i = 0; i < header.totalChunks && at + chunkHeader.bytes <= source.bytes; i++) {
    const chunk = chunkHeader.read(await source.read(at, chunkHeader.bytes), 0, at);
    if (chunk.chunkType === chunkTypes.crc32) return true;
    at += Math.max(chunk.totalBytes, chunkHeader.bytes);
  }
  return false;
}
