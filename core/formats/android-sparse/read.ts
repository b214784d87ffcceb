import { FormatError } from '../../bytes/format-error.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { chunkHeader, chunkTypes, sparseHeader, sparseMagic } from './layouts.ts';

/** A part of the image that a sparse file describes, in ascending order of `offset`. */
export type SparsePiece =
  | { readonly offset: number; readonly bytes: Uint8Array }
  | { readonly offset: number; readonly fill: number; readonly length: number }
  /** Nothing is said about these bytes; they read as zeros. */
  | { readonly offset: number; readonly skip: number };

const pieceBytes = 1 << 20;

const bad = (field: string, offset: number, reason: string) =>
  new FormatError('android-sparse', field, offset, reason);

/**
 * The pieces of an Android sparse image, version 1 (AOSP libsparse, sparse_format.h).
 * CRC chunks are passed over.
 * @throws FormatError when a chunk does not fit its own sizes or the image
 */
export async function* sparsePieces(source: ByteSource): AsyncGenerator<SparsePiece> {
  const head = await readWithin(source, 0, sparseHeader.bytes, 'android-sparse', 'magic');
  const header = sparseHeader.read(head);
  if (header.magic !== sparseMagic) throw bad('magic', 0, `0x${header.magic.toString(16)}`);
  if (header.majorVersion !== 1) throw bad('majorVersion', 4, `${header.majorVersion}`);
  const { blockBytes } = header;
  if (blockBytes === 0 || blockBytes % 4 !== 0 || blockBytes > 1 << 26) {
    throw bad('blockBytes', sparseHeader.offsetOf('blockBytes'), `${blockBytes}`);
  }
  if (header.fileHeaderBytes < sparseHeader.bytes || header.chunkHeaderBytes < chunkHeader.bytes) {
    throw bad('fileHeaderBytes', sparseHeader.offsetOf('fileHeaderBytes'), 'headers are too short');
  }
  let at: number = header.fileHeaderBytes;
  let block = 0;
  for (let i = 0; i < header.totalChunks; i++) {
    const chunk = chunkHeader.read(
      await readWithin(source, at, chunkHeader.bytes, 'android-sparse', 'chunkType'),
      0,
      at,
    );
    const dataAt = at + header.chunkHeaderBytes;
    const dataBytes = chunk.totalBytes - header.chunkHeaderBytes;
    const offset = block * blockBytes;
    const length = chunk.chunkBlocks * blockBytes;
    if (block + chunk.chunkBlocks > header.totalBlocks) {
      throw bad('chunkBlocks', at + 4, `chunk ${i} runs past the ${header.totalBlocks} blocks`);
    }
    const expect = (bytes: number) => {
      if (dataBytes !== bytes)
        throw bad('totalBytes', at + 8, `chunk ${i} has ${dataBytes} bytes, not ${bytes}`);
    };
    if (chunk.chunkType === chunkTypes.raw) {
      expect(length);
      for (let done = 0; done < length; done += pieceBytes) {
        const part = Math.min(pieceBytes, length - done);
        const bytes = await readWithin(source, dataAt + done, part, 'android-sparse', 'chunk data');
        yield { offset: offset + done, bytes };
      }
    } else if (chunk.chunkType === chunkTypes.fill) {
      expect(4);
      const word = await readWithin(source, dataAt, 4, 'android-sparse', 'fill value');
      yield { offset, fill: new DataView(word.buffer, word.byteOffset).getUint32(0, true), length };
    } else if (chunk.chunkType === chunkTypes.dontCare) {
      expect(0);
      yield { offset, skip: length };
    } else if (chunk.chunkType === chunkTypes.crc32) {
      expect(4);
    } else {
      throw bad('chunkType', at, `0x${chunk.chunkType.toString(16)}`);
    }
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
