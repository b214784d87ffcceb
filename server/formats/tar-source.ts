import { Readable } from 'node:stream';
import { extract, type Header } from 'tar-stream';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readWithin, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { readUtf8 } from '@keen-larder/core/bytes/text.ts';
import { extentSource, type Extent } from '@keen-larder/core/formats/file-system/extents.ts';
import { giveWay } from '../async/give-way.ts';
import { sourceBytes } from './file-source.ts';
import { isSparse } from './tar.ts';

/** An entry of an archive that can be read anywhere. */
export interface PlacedEntry {
  /** With the name and the size that it has once unpacked. */
  readonly header: Header & { readonly size: number };
  /** Where its bytes lie in the archive; what lies nowhere is a hole. */
  readonly extents: readonly Extent[];
}

/** A file of an archive as a source of its own. */
export const entrySource = (source: ByteSource, { header, extents }: PlacedEntry): ByteSource =>
  extentSource(source, extents, header.size, 'tar', header.name);

const blockBytes = 512;
/** What is larger is passed over without reading it. */
const mostReadThrough = 256 << 10;
/** Of a file with holes; it takes some twenty bytes each to tell them. */
const mostExtents = 1 << 20;
const sparseMark = 'S'.charCodeAt(0);

const padded = (bytes: number) => Math.ceil(bytes / blockBytes) * blockBytes;

/**
 * The entries of a tar archive in order, their contents passed over. Files with holes are read in every form that GNU tar has
 * for them (GNU tar manual, Sparse Formats), and archives of the seventh edition's tar as well.
 * @throws FormatError when it is damaged or ends too early
 */
export async function* placedEntries(source: ByteSource): AsyncGenerator<PlacedEntry> {
  let start = 0;
  let lastName = 'its first entry';
  while (start < source.bytes) {
    const from = start;
    let next: number | undefined;
    for await (const { header, offset, before } of headersFrom(source, from)) {
      const entry = await placed(source, header, offset, before);
      lastName = entry.header.name;
      if (entry.end > padded(source.bytes))
        throw new FormatError('tar', 'size', offset + 124, `it ends within ${lastName}`);
      yield entry;
      if (entry.mustSkip || entry.end - offset > mostReadThrough) {
        next = entry.end;
        break;
      }
      await giveWay();
    }
    if (next === undefined) return;
    start = next;
  }
}

/** Archives without a mark as well; the library's types do not know of it. */
const extractAny = extract as (options: {
  readonly allowUnknownFormat: boolean;
}) => ReturnType<typeof extract>;

/** Headers as they follow one another from a place on, with what stands before each that belongs to it. */
async function* headersFrom(
  source: ByteSource,
  from: number,
): AsyncGenerator<{ readonly header: Header; readonly offset: number; readonly before: number }> {
  const reader = extractAny({ allowUnknownFormat: true });
  const fed = Readable.from(sourceBytes(source, from), { objectMode: false });
  let fromSource: unknown;
  fed.on('error', (error) => {
    fromSource = error;
    reader.destroy(error);
  });
  fed.pipe(reader);
  let at = from;
  let before = from;
  try {
    for await (const entry of reader) {
      at = from + entry.offset;
      yield { header: entry.header, offset: at, before };
      before = at + blockBytes + padded(entry.header.size ?? 0);
      entry.resume();
    }
  } catch (error) {
    if (fromSource) throw fromSource as Error;
    if (error instanceof FormatError) throw error;
    throw new FormatError('tar', 'header', at, (error as Error).message);
  } finally {
    fed.destroy();
    reader.destroy();
  }
}

interface Found extends PlacedEntry {
  /** Where the next header stands. */
  readonly end: number;
  /** The library takes what follows for something else. */
  readonly mustSkip: boolean;
}

async function placed(source: ByteSource, header: Header, offset: number, before: number): Promise<Found> {
  const dataAt = offset + blockBytes;
  const stored = header.size ?? 0;
  const end = dataAt + padded(stored);
  const raw = await readWithin(source, offset, blockBytes, 'tar', 'header');
  if (raw[156] === sparseMark) return oldSparse(source, header, raw, offset);
  const pax = header.pax ?? {};
  if (isSparse(pax)) {
    const found = await paxSparse(source, pax, { offset, before, dataAt, stored, name: header.name });
    return {
      ...found,
      header: { ...header, type: 'file', name: found.name, size: found.bytes },
      end,
      mustSkip: false,
    };
  }
  if (header.type === null || header.type === undefined)
    throw new FormatError(
      'tar',
      'typeflag',
      offset + 156,
      `${header.name} is of a kind (${JSON.stringify(String.fromCharCode(raw[156]!))}) that is not read here`,
    );
  // The seventh edition has no mark for folders but the end of the name.
  const isFolder = header.type === 'file' && header.name.endsWith('/');
  const type = isFolder ? 'directory' : header.type === 'contiguous-file' ? 'file' : header.type;
  const extents = type === 'file' && stored > 0 ? [{ at: 0, bytes: stored, offset: dataAt }] : [];
  return { header: { ...header, type, size: type === 'file' ? stored : 0 }, extents, end, mustSkip: false };
}

/** Stretches of a file that have bytes, as an archive tells them. */
type Stretch = readonly [at: number, bytes: number];

/** The stretches laid out behind one another, from where the bytes begin. */
function laidOut(
  stretches: readonly Stretch[],
  dataAt: number,
  stored: number,
  bytes: number,
  name: string,
): Extent[] {
  let offset = dataAt;
  let last = 0;
  const extents: Extent[] = [];
  for (const [at, length] of stretches) {
    if (!(at >= last && length >= 0 && at + length <= bytes))
      throw new FormatError('tar', 'sparse map', dataAt, `${name} has ${length} bytes at ${at} of ${bytes}`);
    if (length > 0) extents.push({ at, bytes: length, offset });
    offset += length;
    last = at + length;
  }
  if (offset - dataAt > stored)
    throw new FormatError('tar', 'sparse map', dataAt, `${name} has ${offset - dataAt} bytes in ${stored}`);
  return extents;
}

/** GNU's first form: the map in the header, and in blocks behind it that its size does not count. */
async function oldSparse(
  source: ByteSource,
  header: Header,
  raw: Uint8Array,
  offset: number,
): Promise<Found> {
  const stored = header.size ?? 0;
  const bytes = numberIn(raw, 483, 12, offset);
  const stretches: Stretch[] = [];
  const take = (block: Uint8Array, from: number, count: number, at: number) => {
    for (let i = 0; i < count; i++) {
      const place = from + i * 24;
      if (block[place] === 0 && block[place + 12] === 0) return;
      stretches.push([numberIn(block, place, 12, at), numberIn(block, place + 12, 12, at)]);
    }
  };
  take(raw, 386, 4, offset);
  let dataAt = offset + blockBytes;
  for (let goesOn = raw[482] !== 0; goesOn; dataAt += blockBytes) {
    const block = await readWithin(source, dataAt, blockBytes, 'tar', 'sparse map');
    take(block, 0, 21, dataAt);
    if (stretches.length > mostExtents) throw new FormatError('tar', 'sparse map', dataAt, 'it has no end');
    goesOn = block[504] !== 0;
  }
  const extents = laidOut(stretches, dataAt, stored, bytes, header.name);
  const end = dataAt + padded(stored);
  return { header: { ...header, type: 'file', size: bytes }, extents, end, mustSkip: true };
}

/** A number in octal digits, or with its highest bit set in bytes. */
function numberIn(block: Uint8Array, at: number, length: number, offset: number): number {
  const field = block.subarray(at, at + length);
  let value = 0;
  if (field[0]! & 0x80) for (const byte of field.subarray(4)) value = value * 256 + byte;
  else
    value = Number.parseInt(
      readUtf8(field)
        .replace(/[\0 ]+$/, '')
        .trim() || '0',
      8,
    );
  if (!Number.isSafeInteger(value) || value < 0)
    throw new FormatError('tar', 'sparse map', offset + at, 'no number');
  return value;
}

/** The three forms that came with pax: in records, in one record, and before the bytes. */
async function paxSparse(
  source: ByteSource,
  pax: Readonly<Record<string, string>>,
  {
    offset,
    before,
    dataAt,
    stored,
    name: stands,
  }: { offset: number; before: number; dataAt: number; stored: number; name: string },
) {
  const name = pax['GNU.sparse.name'] ?? stands;
  const bytes = Number(pax['GNU.sparse.realsize'] ?? pax['GNU.sparse.size']);
  const bad = (reason: string) => new FormatError('tar', 'sparse map', offset, `${name}: ${reason}`);
  if (!Number.isSafeInteger(bytes) || bytes < 0) throw bad('no size');
  const paired = (numbers: readonly number[]): Stretch[] => {
    if (numbers.length % 2 || numbers.some((each) => !Number.isSafeInteger(each))) throw bad('no map');
    return Array.from({ length: numbers.length / 2 }, (_, i) => [numbers[2 * i]!, numbers[2 * i + 1]!]);
  };
  if (pax['GNU.sparse.major'] === '1') {
    const { numbers, bytes: mapBytes } = await mapBefore(source, dataAt, stored, bad);
    return {
      name,
      bytes,
      extents: laidOut(paired(numbers), dataAt + mapBytes, stored - mapBytes, bytes, name),
    };
  }
  const map = pax['GNU.sparse.map'];
  // The oldest says each in a record of its own, of which a reader of records keeps the last.
  const numbers =
    map === undefined
      ? await numbersOfRecords(source, before, offset)
      : map === ''
        ? []
        : map.split(',').map(Number);
  return { name, bytes, extents: laidOut(paired(numbers), dataAt, stored, bytes, name) };
}

/** A count and so many pairs, a line each, up to the end of a block. */
async function mapBefore(source: ByteSource, dataAt: number, stored: number, bad: (reason: string) => Error) {
  const numbers: number[] = [];
  let count: number | undefined;
  let text = '';
  for (let at = 0; at < stored; at += blockBytes) {
    text += readUtf8(
      await readWithin(source, dataAt + at, Math.min(blockBytes, stored - at), 'tar', 'sparse map'),
    );
    const lines = text.split('\n');
    text = lines.pop()!;
    for (const line of lines) {
      if (!/^\d+$/.test(line)) throw bad('its map is damaged');
      if (count === undefined) count = Number(line);
      else numbers.push(Number(line));
      if (count > mostExtents) throw bad(`${count} stretches`);
      if (numbers.length === count * 2) return { numbers, bytes: at + blockBytes };
    }
  }
  throw bad('its map has no end');
}

/** `GNU.sparse.offset` and `GNU.sparse.numbytes` in their order, from the records before a header. */
async function numbersOfRecords(source: ByteSource, before: number, offset: number): Promise<number[]> {
  const area = readUtf8(await readWithin(source, before, Math.min(offset - before, 1 << 24), 'tar', 'pax'));
  return [...area.matchAll(/\d+ GNU\.sparse\.(?:offset|numbytes)=(\d+)\n/g)].map(([, value]) =>
    Number(value),
  );
}
