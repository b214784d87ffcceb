import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { extract, type Header } from 'tar-stream';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readUtf8 } from '@keen-larder/core/bytes/text.ts';
import { giveWay } from '../async/give-way.ts';
import { raceAgainst } from '../async/race-against.ts';

/** A tar header, behind which the file's bytes begin (POSIX pax, ustar interchange format). */
const headerBytes = 512;
/** Where the mark stands in a header, of ustar and pax and of GNU's older form alike. */
const magicAt = 257;

/** By its mark, or, of the seventh edition's, which has none, by the checksum of its first header. */
export const looksLikeTar = (head: Uint8Array): boolean =>
  readUtf8(head.subarray(magicAt, magicAt + 5)) === 'ustar' || hasHeaderSum(head);

const sumAt = 148;
const sumBytes = 8;

function hasHeaderSum(head: Uint8Array): boolean {
  if (head.length < headerBytes || head[0] === 0) return false;
  const said = /^ *([0-7]+)[\0 ]/.exec(readUtf8(head.subarray(sumAt, sumAt + sumBytes)))?.[1];
  if (said === undefined) return false;
  let sum = sumBytes * 0x20;
  for (const [i, byte] of head.subarray(0, headerBytes).entries())
    if (i < sumAt || i >= sumAt + sumBytes) sum += byte;
  return sum === Number.parseInt(said, 8);
}

/** Whether records say that a file has holes. */
export const isSparse = (pax: Readonly<Record<string, string>>): boolean =>
  Object.keys(pax).some((key) => key.startsWith('GNU.sparse.'));

/** @throws FormatError naming what a stream cannot be read for: its bytes are not those that stand there, or it is of no known kind */
export function requirePlain(header: Header): void {
  if (header.type && !isSparse(header.pax ?? {})) return;
  const reason = `${header.name} has holes, or is of a kind that is not read here: pack it again without --sparse`;
  throw new FormatError('tar', 'typeflag', 0, reason);
}

/**
 * The headers of a tar archive in order, contents passed over.
 * @throws FormatError when it is damaged, or has files with holes
 */
export async function* tarHeaders(stream: AsyncIterable<Uint8Array>): AsyncGenerator<Header> {
  const reader = extract();
  const source = Readable.from(stream);
  let fromSource: unknown;
  source.on('error', (error) => {
    fromSource = error;
    reader.destroy(error);
  });
  source.pipe(reader);
  let at = 0;
  try {
    for await (const entry of reader) {
      at = entry.offset;
      requirePlain(entry.header);
      yield entry.header;
      entry.resume();
      await giveWay();
    }
  } catch (error) {
    if (fromSource) throw fromSource as Error;
    if (error instanceof FormatError) throw error;
    throw new FormatError('tar', 'header', at, (error as Error).message);
  } finally {
    source.destroy();
  }
}

/** What an archive says of one of its entries. */
export interface ArchivedEntry {
  /** Of a file's bytes; left out of everything else. */
  readonly sha256?: string;
  readonly uid: number;
  readonly gid: number;
  /** Permission bits. */
  readonly mode: number;
  /** SELinux label, where one was packed. */
  readonly label?: string;
  readonly type: string;
  readonly bytes: number;
  /** Seconds since 1970. */
  readonly modifiedAt: number;
  /** Of a link. */
  readonly target?: string;
}

const entryOf = (header: Header): ArchivedEntry => {
  const { uid, gid, mode } = header;
  const pax = header.pax;
  const label = (pax?.['RHT.security.selinux'] ?? pax?.['SCHILY.xattr.security.selinux'])?.replace(/\0$/, '');
  return {
    uid,
    gid,
    mode: mode & 0o7777,
    ...(label && { label }),
    type: header.type ?? 'file',
    bytes: header.size ?? 0,
    modifiedAt: Math.floor((header.mtime?.getTime() ?? 0) / 1000),
    ...(header.linkname && { target: header.linkname }),
  };
};

/** Reads an archive to its end: what is in it, files with their digests. */
export async function archivedEntries(
  stream: AsyncIterable<Uint8Array>,
): Promise<Map<string, ArchivedEntry>> {
  const entries = new Map<string, ArchivedEntry>();
  for await (const part of digestedFiles(stream, entries)) void part;
  return entries;
}

/** Hands an archive on as it comes and digests the files in it on the way. @param entries by their names in it */
export async function* digestedFiles(
  stream: AsyncIterable<Uint8Array>,
  entries: Map<string, ArchivedEntry>,
): AsyncGenerator<Uint8Array> {
  const reader = extract();
  const read = (async () => {
    for await (const entry of reader) {
      const { header } = entry;
      requirePlain(header);
      const found = entryOf(header);
      if (header.type === 'file') {
        const hash = createHash('sha256');
        for await (const part of entry) hash.update(part);
        entries.set(header.name, { ...found, sha256: hash.digest('hex') });
      } else {
        entries.set(header.name, found);
        entry.resume();
      }
      await giveWay();
    }
  })();
  read.catch(() => undefined);
  const orRead = raceAgainst(read);
  try {
    for await (const part of stream) {
      // What is handed on is good until the next piece is asked for; the reader keeps it longer.
      const own = Buffer.from(part);
      if (!reader.write(own)) await orRead(new Promise((resolve) => reader.once('drain', resolve)));
      yield own;
    }
    reader.end();
    await read;
  } finally {
    reader.destroy();
  }
}
