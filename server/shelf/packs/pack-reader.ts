import { closeSync, fstatSync, openSync, readSync } from 'node:fs';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { ChunkDigest } from '../threads/digest.ts';
import {
  chunkBytes,
  packTrailer,
  recordHeader,
  recordMagic,
  trailerMagic,
  type Record,
} from './pack-format.ts';

/** What is read at once: a record and the header of the next. Larger pieces leave the processor's cache before they are checked. */
const windowBytes = chunkBytes + recordHeader.bytes;

/** A file that is read in one go, for threads that do nothing else. Not closed by itself. */
export class OpenPack {
  private readonly file: number;
  private readonly window = Buffer.allocUnsafeSlow(windowBytes);
  private windowAt = 0;
  private filled = 0;
  readonly bytes: number;
  /** Milliseconds since 1970. */
  readonly modifiedAt: number;

  /** @throws Error when it cannot be opened */
  constructor(path: string) {
    this.file = openSync(path, 'r');
    const { size, mtimeMs } = fstatSync(this.file);
    this.bytes = size;
    this.modifiedAt = Math.round(mtimeMs);
  }

  /** Some bytes of it, fewer at its end; good until the next are asked for. @param length no more than a chunk */
  read(offset: number, length: number): Buffer {
    if (offset < this.windowAt || offset + length > this.windowAt + this.filled) {
      this.windowAt = offset;
      this.filled = readSync(this.file, this.window, 0, length + recordHeader.bytes, offset);
    }
    return this.window.subarray(
      offset - this.windowAt,
      Math.min(offset - this.windowAt + length, this.filled),
    );
  }

  close(): void {
    closeSync(this.file);
  }
}

/**
 * The records of a sealed pack in their order.
 * @param onRecord also given the stored bytes of each, good until the next
 * @throws FormatError when the pack was not sealed or its headers were damaged
 */
export function listRecords(
  pack: OpenPack,
  onRecord: (record: Record, stored: Buffer) => void = () => undefined,
): Record[] {
  const recordsBytes = pack.bytes - packTrailer.bytes;
  if (recordsBytes < 0) throw new FormatError('pack', 'trailer', 0, 'the file is too short');
  const trailer = packTrailer.read(pack.read(recordsBytes, packTrailer.bytes), 0, recordsBytes);
  const wanted = Buffer.from(trailer.digest);
  if (trailer.magic !== trailerMagic || trailer.recordsBytes !== BigInt(recordsBytes)) {
    throw new FormatError('pack', 'trailer', recordsBytes, 'the pack was not sealed');
  }
  const records: Record[] = [];
  const headers = new ChunkDigest();
  for (let at = 0; at < recordsBytes;) {
    const bytes = pack.read(at, recordHeader.bytes);
    const { magic, codec, storedBytes, plainBytes, digest } = recordHeader.read(bytes, 0, at);
    const offset = at + recordHeader.bytes;
    if (magic !== recordMagic) throw new FormatError('pack', 'magic', at, `no "${recordMagic}" here`);
    if (plainBytes > chunkBytes || storedBytes > chunkBytes || offset + storedBytes > recordsBytes) {
      throw new FormatError('pack', 'storedBytes', at, `${storedBytes} for ${plainBytes} bytes`);
    }
    headers.update(bytes);
    const record = { digest: Buffer.from(digest), codec, offset, storedBytes, plainBytes };
    records.push(record);
    onRecord(record, pack.read(offset, storedBytes));
    at = offset + storedBytes;
  }
  if (records.length !== trailer.records || !headers.digest().equals(wanted)) {
    throw new FormatError('pack', 'trailer', recordsBytes, 'the record headers do not match their digest');
  }
  return records;
}
