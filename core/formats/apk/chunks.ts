import { FormatError } from '../../bytes/format-error.ts';
import { chunkHeader } from './layouts.ts';

export interface Chunk {
  readonly type: number;
  readonly headerBytes: number;
  /** All of it, header included. */
  readonly bytes: Uint8Array;
  /** Where it starts in its file. */
  readonly offset: number;
}

/**
 * The chunks that lie in a stretch one behind the other.
 * @param base where `bytes` starts in the file
 * @throws FormatError
 */
export function* chunksIn(bytes: Uint8Array, base: number): Generator<Chunk> {
  for (let at = 0; at + chunkHeader.bytes <= bytes.length;) {
    const header = chunkHeader.read(bytes, at, base);
    const isSound =
      header.headerBytes >= chunkHeader.bytes &&
      header.headerBytes <= header.bytes &&
      header.bytes <= bytes.length - at;
    if (!isSound) {
      throw new FormatError('resources', 'bytes', base + at, `a chunk of ${header.bytes} bytes`);
    }
    yield {
      type: header.type,
      headerBytes: header.headerBytes,
      bytes: bytes.subarray(at, at + header.bytes),
      offset: base + at,
    };
    at += header.bytes;
  }
}
