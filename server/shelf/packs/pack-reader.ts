import type { FileHandle } from 'node:fs/promises';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { chunkDigest } from '../threads/digest.ts';
import {
  chunkBytes,
  packTrailer,
  recordHeader,
  recordMagic,
  trailerMagic,
  type Record,
} from './pack-format.ts';

/**
 * Lists the records of a sealed pack by walking their headers.
 * @throws FormatError when the pack was not sealed or its headers were damaged
 */
export async function listRecords(file: FileHandle): Promise<Record[]> {
  const { size } = await file.stat();
  const read = async (offset: number, length: number) => {
    const bytes = Buffer.alloc(length);
    const { bytesRead } = await file.read(bytes, 0, length, offset);
    return bytes.subarray(0, bytesRead);
  };
  const recordsBytes = size - packTrailer.bytes;
  if (recordsBytes < 0) throw new FormatError('pack', 'trailer', 0, 'the file is too short');
  const trailer = packTrailer.read(await read(recordsBytes, packTrailer.bytes), 0, recordsBytes);
  if (trailer.magic !== trailerMagic || trailer.recordsBytes !== BigInt(recordsBytes)) {
    throw new FormatError('pack', 'trailer', recordsBytes, 'the pack was not sealed');
  }
  const records: Record[] = [];
  const headers: Buffer[] = [];
  for (let at = 0; at < recordsBytes;) {
    const bytes = await read(at, recordHeader.bytes);
    const header = recordHeader.read(bytes, 0, at);
    const offset = at + recordHeader.bytes;
    if (header.magic !== recordMagic) throw new FormatError('pack', 'magic', at, `no "${recordMagic}" here`);
    if (header.plainBytes > chunkBytes || offset + header.storedBytes > recordsBytes) {
      throw new FormatError(
        'pack',
        'storedBytes',
        at,
        `${header.storedBytes} for ${header.plainBytes} bytes`,
      );
    }
    headers.push(bytes);
    records.push({
      digest: Buffer.from(header.digest),
      codec: header.codec,
      offset,
      storedBytes: header.storedBytes,
      plainBytes: header.plainBytes,
    });
    at = offset + header.storedBytes;
  }
  if (records.length !== trailer.records || !chunkDigest(Buffer.concat(headers)).equals(trailer.digest)) {
    throw new FormatError('pack', 'trailer', recordsBytes, 'the record headers do not match their digest');
  }
  return records;
}
