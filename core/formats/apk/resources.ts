import { FormatError } from '../../bytes/format-error.ts';
import { chunksIn, type Chunk } from './chunks.ts';
import {
  chunkHeader,
  chunkTypes,
  configHead,
  entryFlags,
  entryHeader,
  none,
  packageHeader,
  resourceValue,
  typeFlags,
  typeHeader,
  valueTypes,
} from './layouts.ts';
import { StringPool } from './string-pool.ts';

/** What a resource is for one kind of device. */
export interface ResourceValue {
  /** Lower-case ISO 639; empty for any. */
  readonly language: string;
  /** Dots per inch; 0 for any. */
  readonly density: number;
  /** Text, a number as text, or the path of a file in the archive. */
  readonly text: string;
}

const bad = (field: string, offset: number, reason: string) =>
  new FormatError('resources', field, offset, reason);
/** References to references: beyond this they go round. */
const mostHops = 8;

interface TypeTable {
  readonly chunk: Chunk;
  readonly language: string;
  readonly density: number;
}

/** Compiled resources, `resources.arsc` (AOSP ResourceTypes.h), as far as labels, icons and versions need them. */
export class Resources {
  private readonly strings: StringPool | undefined;
  /** By package and type: `0x7f02`. */
  private readonly types = new Map<number, TypeTable[]>();

  /** @throws FormatError */
  constructor(bytes: Uint8Array) {
    const header = chunkHeader.read(bytes);
    if (header.type !== chunkTypes.table) throw bad('type', 0, `chunk type 0x${header.type.toString(16)}`);
    const within = bytes.subarray(header.headerBytes, Math.min(header.bytes, bytes.length));
    for (const chunk of chunksIn(within, header.headerBytes)) {
      if (chunk.type === chunkTypes.stringPool) this.strings = new StringPool(chunk.bytes, chunk.offset);
      else if (chunk.type === chunkTypes.package) this.addPackage(chunk);
    }
  }

  /** All that a resource is, references followed. @param id as `0x7f020001` */
  values(id: number, hops = 0): ResourceValue[] {
    if (hops > mostHops) return [];
    const found: ResourceValue[] = [];
    for (const { chunk, language, density } of this.types.get(id >>> 16) ?? []) {
      const value = valueIn(chunk, id & 0xffff);
      if (!value) continue;
      if (value.type === valueTypes.string) {
        const text = this.strings?.maybe(value.data);
        if (text !== undefined) found.push({ language, density, text });
      } else if (value.type === valueTypes.decimal || value.type === valueTypes.hexadecimal) {
        found.push({ language, density, text: String(value.data) });
      } else if (value.type === valueTypes.reference || value.type === valueTypes.dynamicReference) {
        for (const each of this.values(value.data, hops + 1)) {
          found.push({ ...each, language: language || each.language, density: density || each.density });
        }
      }
    }
    return found;
  }

  private addPackage({ bytes, headerBytes, offset }: Chunk): void {
    const { id } = packageHeader.read(bytes, chunkHeader.bytes, offset);
    for (const chunk of chunksIn(bytes.subarray(headerBytes), offset + headerBytes)) {
      if (chunk.type !== chunkTypes.type) continue;
      const type = typeHeader.read(chunk.bytes, chunkHeader.bytes, chunk.offset);
      const configAt = chunkHeader.bytes + typeHeader.bytes;
      const { language, density } = configHead.read(chunk.bytes, configAt, chunk.offset);
      const key = (id << 8) | type.id;
      const table = { chunk, language: languageText(language), density };
      this.types.set(key, [...(this.types.get(key) ?? []), table]);
    }
  }
}

/** Two letters as they are; three packed into two bytes are no language that a label is wanted in. */
const languageText = ([first = 0, second = 0]: Uint8Array): string =>
  first === 0 ? '' : first & 0x80 ? '?' : String.fromCharCode(first, second);

/** The simple value of an entry; undefined where there is none for this kind of device. */
function valueIn({ bytes, headerBytes, offset }: Chunk, index: number) {
  const { flags, entries, entriesStart } = typeHeader.read(bytes, chunkHeader.bytes, offset);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const place = placeOf(view, flags, entries, headerBytes, index, offset);
  if (place === undefined) return undefined;
  const at = entriesStart + place;
  const entry = entryHeader.read(bytes, at, offset);
  // Where an entry is compact, its second word has the value's type in its upper byte.
  if (entry.flags & entryFlags.compact) return { type: entry.flags >>> 8, data: entry.key };
  if (entry.flags & entryFlags.complex) return undefined;
  return resourceValue.read(bytes, at + entry.bytes, offset);
}

function placeOf(
  view: DataView,
  flags: number,
  entries: number,
  start: number,
  index: number,
  offset: number,
): number | undefined {
  const width = flags & typeFlags.offset16 ? 2 : 4;
  if (start + entries * width > view.byteLength) {
    throw bad('entries', offset, `${entries} entries in ${view.byteLength} bytes`);
  }
  if (flags & typeFlags.sparse) {
    for (let i = 0; i < entries; i++) {
      if (view.getUint16(start + i * 4, true) === index) return view.getUint16(start + i * 4 + 2, true) * 4;
    }
    return undefined;
  }
  if (index >= entries) return undefined;
  if (width === 2) {
    const word = view.getUint16(start + index * 2, true);
    return word === 0xffff ? undefined : word * 4;
  }
  const word = view.getUint32(start + index * 4, true);
  return word === none ? undefined : word;
}
