import { crc32 } from '../../bytes/crc32.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { inflateRaw } from '../../bytes/inflate/inflate.ts';
import { layout, u16, u32 } from '../../bytes/layout.ts';
import { cached, readWithin, slice, type ByteSource } from '../../bytes/source.ts';
import { readUtf8 } from '../../bytes/text.ts';

/** End of central directory (PKWARE APPNOTE 4.3.16), little endian. */
export const endRecord = layout('zip', {
  signature: u32, // "PK\x05\x06"
  disk: u16,
  directoryDisk: u16,
  entriesOnDisk: u16,
  entries: u16,
  directoryBytes: u32,
  directoryOffset: u32,
  commentBytes: u16,
});
/** Central directory file header (4.3.12). */
export const directoryEntry = layout('zip', {
  signature: u32, // "PK\x01\x02"
  madeBy: u16,
  needs: u16,
  flags: u16,
  method: u16,
  time: u16,
  date: u16,
  crc32: u32,
  packedBytes: u32,
  bytes: u32,
  nameBytes: u16,
  extraBytes: u16,
  commentBytes: u16,
  disk: u16,
  internalAttributes: u16,
  externalAttributes: u32,
  headerOffset: u32,
});
/** Local file header (4.3.7). */
export const localHeader = layout('zip', {
  signature: u32, // "PK\x03\x04"
  needs: u16,
  flags: u16,
  method: u16,
  timeAndDate: u32,
  crc32: u32,
  packedBytes: u32,
  bytes: u32,
  nameBytes: u16,
  extraBytes: u16,
});
export const signatures = { end: 0x06054b50, entry: 0x02014b50, local: 0x04034b50 } as const;
export const methods = { stored: 0, deflated: 8 } as const;
const mostCommentBytes = 0xffff;
const mostDirectoryBytes = 64 << 20;
const directoryAtOnce = 16_384;

export interface ZipEntry {
  readonly name: string;
  readonly method: number;
  readonly crc32: number;
  readonly packedBytes: number;
  readonly bytes: number;
  readonly headerOffset: number;
}

export interface ZipDirectory {
  readonly entries: readonly ZipEntry[];
  /** Where the central directory begins: what is signed lies before and from there. */
  readonly directoryOffset: number;
}

const bad = (field: string, offset: number, reason: string) => new FormatError('zip', field, offset, reason);

/**
 * Reads the central directory of a zip archive without the extensions for more than 4 GiB, which APKs do not
 * use (PKWARE APPNOTE 6.3.10).
 * @throws FormatError
 */
export async function readZipDirectory(source: ByteSource): Promise<ZipDirectory> {
  const tailBytes = Math.min(source.bytes, endRecord.bytes + mostCommentBytes);
  const tailOffset = source.bytes - tailBytes;
  const tail = await source.read(tailOffset, tailBytes);
  let at = tail.length - endRecord.bytes;
  while (at >= 0 && !isEnd(tail, at)) at--;
  if (at < 0) throw bad('signature', Math.max(0, source.bytes - endRecord.bytes), 'no end of a zip archive');
  const end = endRecord.read(tail, at, tailOffset);
  const { directoryOffset, directoryBytes } = end;
  if (directoryBytes > mostDirectoryBytes || directoryOffset + directoryBytes > tailOffset + at) {
    throw bad('directoryOffset', tailOffset + at, 'the directory lies outside the archive');
  }
  const directory = slice(source, directoryOffset, directoryBytes);
  return { entries: await readEntries(directory, directoryOffset, end.entries), directoryOffset };
}

/** An end record whose comment ends with the file: the mark alone may stand in a comment. */
const isEnd = (tail: Uint8Array, at: number): boolean => {
  const { signature, commentBytes } = endRecord.read(tail, at);
  return signature === signatures.end && at + endRecord.bytes + commentBytes === tail.length;
};

/** Piece by piece: a directory of 65,535 entries must not hold up everything else. */
async function readEntries(directory: ByteSource, base: number, count: number): Promise<ZipEntry[]> {
  const entries: ZipEntry[] = [];
  let at = 0;
  const pieces = cached(directory, directoryAtOnce, 2);
  const read = (offset: number, bytes: number) => readWithin(pieces, offset, bytes, 'zip', 'directoryOffset');
  for (let i = 0; i < count; i++) {
    if (at + directoryEntry.bytes > directory.bytes)
      throw bad('signature', base + at, 'the directory ends here');
    const entry = directoryEntry.read(await read(at, directoryEntry.bytes), 0, base + at);
    if (entry.signature !== signatures.entry) throw bad('signature', base + at, 'no directory entry here');
    const nameAt = at + directoryEntry.bytes;
    const next = nameAt + entry.nameBytes + entry.extraBytes + entry.commentBytes;
    if (next > directory.bytes) throw bad('nameBytes', base + at, 'the directory ends here');
    entries.push({
      name: readUtf8(await read(nameAt, entry.nameBytes)),
      method: entry.method,
      crc32: entry.crc32,
      packedBytes: entry.packedBytes,
      bytes: entry.bytes,
      headerOffset: entry.headerOffset,
    });
    at = next;
  }
  return entries;
}

/**
 * Unpacks one entry.
 * @param most bytes that it may have
 * @throws FormatError when it is damaged, packed in another way, or larger
 */
export async function readZipEntry(source: ByteSource, entry: ZipEntry, most: number): Promise<Uint8Array> {
  const { name, headerOffset, method, packedBytes, bytes } = entry;
  if (bytes > most || packedBytes > most) throw bad('bytes', headerOffset, `${name} has ${bytes} bytes`);
  const head = await readWithin(source, headerOffset, localHeader.bytes, 'zip', 'headerOffset');
  const local = localHeader.read(head, 0, headerOffset);
  if (local.signature !== signatures.local) throw bad('signature', headerOffset, `no header of ${name} here`);
  const dataAt = headerOffset + localHeader.bytes + local.nameBytes + local.extraBytes;
  const packed = await readWithin(source, dataAt, packedBytes, 'zip', 'packedBytes');
  if (method !== methods.stored && method !== methods.deflated) {
    throw bad('method', headerOffset, `${name} is packed by method ${method}`);
  }
  const plain = method === methods.stored ? packed : await inflateRaw(packed, bytes);
  if (plain.length !== bytes)
    throw bad('bytes', headerOffset, `${name} has ${plain.length} of ${bytes} bytes`);
  if (crc32(plain) !== entry.crc32) throw bad('crc32', headerOffset, `the checksum of ${name} is wrong`);
  return plain;
}
