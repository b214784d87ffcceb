import { crc32 } from 'node:zlib';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { ArchiveEntry } from '../zip.ts';
import { complaintOf } from './seven-zip-messages.ts';
import { sevenZip } from './seven-zip-thread.ts';
import { mostUnpackedBytes } from './wrappers.ts';

/** "7z", BC AF 27 1C (7-Zip, DOC/7zFormat.txt). */
const mark = [0x37, 0x7a, 0xbc, 0xaf, 0x27, 0x1c];
/** A larger dictionary than the largest preset has: it is all kept in memory. */
const mostDictionaryBits = 27;

export const looksLike7z = (head: Uint8Array): boolean => mark.every((byte, i) => head[i] === byte);

/** What 7-Zip lists of an entry. */
interface Listed {
  readonly name: string;
  readonly bytes: number;
  readonly crc: number | undefined;
  readonly isFolder: boolean;
  readonly fault?: string;
}

/**
 * The files of a 7z archive in order. They are unpacked in one pass: one is to be read before the next is asked for, and what is
 * not read is passed over.
 * @param most entries that it may say it has
 * @throws FormatError when it is damaged, has a password or more entries, or unpacks to more than any phone holds
 */
export async function* sevenZipEntries(source: ByteSource, most = Infinity): AsyncGenerator<ArchiveEntry> {
  if (await isListLocked(source)) throw bad('header', hasPassword);
  const listed = await list(source);
  if (listed.length > most) throw bad('entries', `${listed.length}, more than ${most}`);
  const total = listed.reduce((sum, { bytes }) => sum + bytes, 0);
  if (total > mostUnpackedBytes)
    throw bad('entries', `it unpacks to more than ${sizeText(mostUnpackedBytes)}, as no phone holds`);
  const files = listed.filter(({ isFolder }) => !isFolder);
  // Where one of a row cannot be unpacked, what stands behind it cannot be told apart.
  if (files.some(({ fault }) => fault !== undefined)) {
    for (const { name, bytes, fault = unreadBecauseOf } of files)
      yield { name, bytes, fault, content: noBytes };
    return;
  }
  const bytes = new SplitStream(unpack(source));
  try {
    for (const { name, bytes: size, crc } of files) {
      const one = bytes.next(size, name, crc);
      yield { name, bytes: size, content: () => one };
      // What nobody wanted.
      for await (const part of one) void part;
    }
  } finally {
    await bytes.close();
  }
}

const unreadBecauseOf =
  'It is packed together with what cannot be read: unpack the archive, then import its folder.';
const hasPassword = 'it has a password: unpack the archive, then import its folder';
const bad = (field: string, reason: string) => new FormatError('7z', field, 0, reason);

async function* noBytes(): AsyncGenerator<Uint8Array> {}

/** A stream that is cut into files, each held against its checksum. */
class SplitStream {
  private left: Uint8Array = new Uint8Array(0);
  private fault: Error | undefined;

  constructor(private readonly bytes: AsyncGenerator<Uint8Array>) {}

  async *next(size: number, name: string, crc: number | undefined): AsyncGenerator<Uint8Array> {
    let sum = 0;
    for (let wanted = size; wanted > 0;) {
      if (this.left.length === 0) this.left = await this.more(name);
      const part = this.left.subarray(0, wanted);
      this.left = this.left.subarray(part.length);
      wanted -= part.length;
      sum = crc32(part, sum);
      if (wanted === 0 && crc !== undefined && sum >>> 0 !== crc)
        throw bad(name, 'it does not match its CRC');
      yield part;
    }
  }

  async close(): Promise<void> {
    await this.bytes.return(undefined);
  }

  private async more(name: string): Promise<Uint8Array> {
    if (this.fault !== undefined) throw this.fault;
    try {
      const more = await this.bytes.next();
      if (more.done !== true) return more.value;
      throw bad(name, 'the archive ends before it');
    } catch (error) {
      this.fault = error as Error;
      throw error;
    }
  }
}

/** A list that is packed, and its coder, AES-256 (7-Zip, DOC/7zFormat.txt, DOC/Methods.txt). */
const packedList = 0x17;
const aesCoder = [0x06, 0xf1, 0x07, 0x01];
const startBytes = 32;
/** What tells how a list is packed takes less. */
const mostListHeadBytes = 4096;

async function isListLocked(source: ByteSource): Promise<boolean> {
  if (source.bytes < startBytes) throw bad('header', 'it ends too early');
  const start = Buffer.from(await source.read(0, startBytes));
  const at = startBytes + Number(start.readBigUInt64LE(12));
  const bytes = Math.min(Number(start.readBigUInt64LE(20)), mostListHeadBytes, source.bytes - at);
  if (!(bytes > 0)) return false;
  const head = Buffer.from(await source.read(at, bytes));
  return head[0] === packedList && head.includes(Buffer.from(aesCoder));
}

/** What 7-Zip tells of an archive, `Name = value` a line, an empty line behind each entry. */
async function list(source: ByteSource): Promise<Listed[]> {
  let lines: readonly string[] = [];
  for await (const message of sevenZip(source, 'list')) {
    if (message.kind !== 'ended') continue;
    if (message.code !== 0) throw refused(message.errors);
    ({ lines } = message);
  }
  const found: Listed[] = [];
  let entry = new Map<string, string>();
  for (const line of [...lines, '']) {
    if (line === '' && entry.size > 0) {
      found.push(listedOf(entry));
      entry = new Map();
    }
    // Before the first stands what a terminal would have wiped.
    const [, name, value] = /^([A-Z][A-Za-z ]*) = (.*)$/.exec(line.slice(line.lastIndexOf('\b') + 1)) ?? [];
    if (name !== undefined) entry.set(name, value!);
  }
  return found;
}

function listedOf(entry: ReadonlyMap<string, string>): Listed {
  const of = (name: string) => entry.get(name) ?? '';
  const [name, bytes] = [of('Path'), Number(of('Size') || 0)];
  if (name === '' || name.startsWith('/') || name.split('/').includes('..'))
    throw bad('name', `“${name}” leads out of the archive`);
  if (!Number.isSafeInteger(bytes) || bytes < 0) throw bad('size', of('Size'));
  const attributes = of('Attributes');
  const fault = faultOf(of('Encrypted'), of('Method'), attributes);
  return {
    name,
    bytes,
    crc: /^[0-9A-F]{8}$/.test(of('CRC')) ? Number.parseInt(of('CRC'), 16) : undefined,
    isFolder: /^\S*D/.test(attributes),
    ...(fault !== undefined && { fault }),
  };
}

function faultOf(encrypted: string, method: string, attributes: string): string | undefined {
  if (encrypted === '+') return 'It has a password: unpack the archive, then import its folder.';
  if (/(?:^| )l[rwx-]{9}/.test(attributes)) return 'It is a link: bring the file that it leads to.';
  const needs = [...method.matchAll(/(?:LZMA2?|PPMD\S*?mem):?(\d+)([kmg]?)/gi)].map(([, number, unit]) =>
    dictionaryBytes(Number(number), unit!.toLowerCase()),
  );
  return needs.some((bytes) => bytes > 2 ** mostDictionaryBits)
    ? `To unpack it takes more than ${sizeText(2 ** mostDictionaryBits)} of memory: unpack the archive, then import its folder.`
    : undefined;
}

/** A bare number is of bits. */
const dictionaryBytes = (number: number, unit: string): number =>
  unit === '' ? 2 ** number : number * 2 ** ({ k: 10, m: 20, g: 30 }[unit] ?? 0);

async function* unpack(source: ByteSource): AsyncGenerator<Uint8Array> {
  for await (const message of sevenZip(source, 'unpack')) {
    if (message.kind === 'bytes') yield message.bytes;
    else if (message.kind === 'ended' && message.code !== 0) throw refused(message.errors);
  }
}

/** In our words where they are needed. */
function refused(errors: string): FormatError {
  if (/password|encrypted/i.test(errors)) return bad('header', hasPassword);
  return bad('data', complaintOf(errors));
}
