import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { chunkDigest } from '../threads/digest.ts';
import {
  chunkBytes,
  packTrailer,
  recordHeader,
  recordMagic,
  trailerMagic,
  type PackedChunk,
  type Record,
} from './pack-format.ts';

const reserved = new Uint8Array(3);

/** What stands before a chunk in a pack. */
export function headOf({ digest, codec, stored, plainBytes }: PackedChunk): Uint8Array {
  const head = new Uint8Array(recordHeader.bytes);
  const storedBytes = stored.length;
  recordHeader.write(head, 0, { magic: recordMagic, codec, reserved, storedBytes, plainBytes, digest });
  return head;
}

/** What stands at the end of a pack. @param digest of all record headers @param recordsBytes before it */
export function trailerOf(records: number, recordsBytes: number, digest: Uint8Array): Uint8Array {
  const trailer = new Uint8Array(packTrailer.bytes);
  packTrailer.write(trailer, 0, {
    magic: trailerMagic,
    records,
    reserved: 0,
    recordsBytes: BigInt(recordsBytes),
    digest,
  });
  return trailer;
}

/** A whole pack in memory, and where its chunks lie in it. */
export function packOf(chunks: readonly PackedChunk[]): {
  readonly bytes: Buffer;
  readonly records: Record[];
} {
  const heads = chunks.map(headOf);
  const { list, bytes } = recordsIn(Buffer.concat(heads));
  const recordsBytes = bytes - packTrailer.bytes;
  const trailer = trailerOf(chunks.length, recordsBytes, chunkDigest(Buffer.concat(heads)));
  const pieces = chunks.flatMap(({ stored }, i) => [heads[i]!, stored]);
  return { bytes: Buffer.concat([...pieces, trailer]), records: list };
}

/** The headers of a pack's records, one behind the other: they tell where each chunk lies. */
export const indexOf = (chunks: readonly PackedChunk[]): Buffer => Buffer.concat(chunks.map(headOf));

/** The records that headers tell of, and the bytes of their whole pack. @throws FormatError */
export function recordsIn(index: Buffer): { readonly list: Record[]; readonly bytes: number } {
  const list: Record[] = [];
  let end = 0;
  for (let at = 0; at < index.length; at += recordHeader.bytes) {
    const { magic, codec, storedBytes, plainBytes, digest } = recordHeader.read(index, at, at);
    if (magic !== recordMagic || storedBytes > chunkBytes || plainBytes > chunkBytes)
      throw new FormatError('pack index', 'record', at, 'this is not the header of a record');
    const offset = end + recordHeader.bytes;
    list.push({ digest: Buffer.from(digest), codec, offset, storedBytes, plainBytes });
    end = offset + storedBytes;
  }
  return { list, bytes: end + packTrailer.bytes };
}
