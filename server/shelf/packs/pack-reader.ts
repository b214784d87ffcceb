import { closeSync, fstatSync, openSync, readSync } from 'node:fs';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { ChunkDigest } from '../threads/digest.ts';
import {
  chunkBytes,
  codecs,
  packTrailer,
  recordHeader,
  recordMagic,
  trailerMagic,
  type PackedChunk,
  type Record,
} from './pack-format.ts';
import { mostStoredBytes, openRecord, sealedHead, sealedMagic } from './sealed-record.ts';

/** What is read at once: a record and the header of the next. Larger pieces leave the processor's cache before they are checked. */
const windowBytes = mostStoredBytes + recordHeader.bytes;

/** A file that is read in one go, for threads that do nothing else. Not closed by itself. */
export class OpenPack {
  private readonly file: number;
  private readonly window = Buffer.allocUnsafeSlow(windowBytes);
  private opened: Buffer | undefined;
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

  /** Some bytes of it, fewer at its end; good until the next are asked for. @param length no more than a record */
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

  /** For sealed records, one after the other. */
  get memoryToOpen(): Buffer {
    return (this.opened ??= Buffer.allocUnsafeSlow(mostStoredBytes));
  }

  close(): void {
    closeSync(this.file);
  }
}

/** A record as it lies in a pack, and its chunk; undefined where a sealed one cannot be opened: then its name is unknown. */
interface FoundRecord {
  readonly head: Uint8Array;
  readonly record: Record;
  /** Its bytes are good until the next record is asked for. */
  readonly chunk: PackedChunk | undefined;
  readonly end: number;
}

/** @throws FormatError */
function recordAt(pack: OpenPack, at: number, end: number, key: Uint8Array | undefined): FoundRecord {
  const bytes = pack.read(at, recordHeader.bytes);
  if (bytes.toString('latin1', 0, 4) === sealedMagic) return sealedRecordAt(pack, at, end, key);
  const { magic, codec, storedBytes, plainBytes, digest: name } = recordHeader.read(bytes, 0, at);
  const offset = at + recordHeader.bytes;
  if (magic !== recordMagic) throw new FormatError('pack', 'magic', at, `no "${recordMagic}" here`);
  if (plainBytes > chunkBytes || storedBytes > chunkBytes || offset + storedBytes > end) {
    throw new FormatError('pack', 'storedBytes', at, `${storedBytes} for ${plainBytes} bytes`);
  }
  const head = Uint8Array.from(bytes);
  const digest = Buffer.from(name);
  const record = { digest, codec, offset, storedBytes, plainBytes };
  const chunk = { digest, codec, stored: pack.read(offset, storedBytes), plainBytes };
  return { head, record, chunk, end: offset + storedBytes };
}

function sealedRecordAt(pack: OpenPack, at: number, end: number, key: Uint8Array | undefined): FoundRecord {
  const { closedBytes } = sealedHead.read(pack.read(at, sealedHead.bytes), 0, at);
  const storedBytes = sealedHead.bytes + closedBytes;
  if (storedBytes > mostStoredBytes || at + storedBytes > end)
    throw new FormatError('pack', 'closedBytes', at, `${closedBytes} of ${end - at}`);
  if (!key) throw new FormatError('pack', 'magic', at, 'it is sealed');
  const stored = pack.read(at, storedBytes);
  const chunk = openRecord(key, stored, pack.memoryToOpen);
  const { digest, plainBytes } = chunk ?? { digest: Buffer.alloc(0), plainBytes: 0 };
  const record = { digest, codec: codecs.sealed, offset: at, storedBytes, plainBytes };
  return {
    head: Uint8Array.from(stored.subarray(0, sealedHead.bytes)),
    record,
    chunk,
    end: at + storedBytes,
  };
}

/**
 * The records of a whole pack in their order, as far as they can be opened.
 * @param onRecord also given the chunk of each, good until the next, and those that cannot be opened
 * @param key of a shelf that is sealed
 * @throws FormatError when the pack was not ended or its headers were damaged
 */
export function listRecords(
  pack: OpenPack,
  onRecord: (record: Record, chunk: PackedChunk | undefined) => void = () => undefined,
  key?: Uint8Array,
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
  let count = 0;
  for (let at = 0; at < recordsBytes; count++) {
    const { head, record, chunk, end } = recordAt(pack, at, recordsBytes, key);
    headers.update(head);
    if (chunk) records.push(record);
    onRecord(record, chunk);
    at = end;
  }
  if (count !== trailer.records || !headers.digest().equals(wanted)) {
    throw new FormatError('pack', 'trailer', recordsBytes, 'the record headers do not match their digest');
  }
  return records;
}
