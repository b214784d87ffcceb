import { FormatError } from '../../bytes/format-error.ts';
import { readWithin, slice, type ByteSource } from '../../bytes/source.ts';
import { readUtf8 } from '../../bytes/text.ts';

// Device-tree blobs: Devicetree Specification 0.4, chapter 5. Several in a row behind a table: AOSP, "Device tree blob overlays",
// "DTBO image format". All numbers are big endian.

const blobMagic = 0xd00dfeed;
const tableMagic = 0xd7b7ab1e;
const headerBytes = 40;
const tableHeaderBytes = 32;
const entryBytes = 32;
/** Of a blob, or of a table's entries: what is larger is none. */
const mostBytes = 64 << 20;
const mostEntries = 4096;
const mostDepth = 64;
const tokens = { begin: 1, end: 2, property: 3, nop: 4, whole: 9 } as const;

/** What a device-tree blob says at its root. */
export interface DeviceTree {
  readonly bytes: number;
  readonly version: number;
  readonly model: string;
  /** The most specific first. */
  readonly compatible: readonly string[];
  readonly nodes: number;
}

/** A row of blobs behind a table. */
export interface DeviceTreeTable {
  readonly bytes: number;
  readonly version: number;
  readonly pageBytes: number;
  readonly entries: readonly { readonly offset: number; readonly bytes: number; readonly id: number }[];
}

const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
const begins = (head: Uint8Array, magic: number) => head.length >= 4 && viewOf(head).getUint32(0) === magic;

export const looksLikeDeviceTree = (head: Uint8Array): boolean => begins(head, blobMagic);
export const looksLikeDeviceTreeTable = (head: Uint8Array): boolean => begins(head, tableMagic);

const aligned = (at: number) => Math.ceil(at / 4) * 4;

/** @throws FormatError */
export async function readDeviceTree(source: ByteSource): Promise<DeviceTree> {
  const bad = (field: string, offset: number, what: string) =>
    new FormatError('device tree', field, offset, what);
  const header = viewOf(await readWithin(source, 0, headerBytes, 'device tree', 'header'));
  const [bytes, structAt, stringsAt] = [4, 8, 12].map((at) => header.getUint32(at)) as [
    number,
    number,
    number,
  ];
  const [version, stringsBytes, structBytes] = [20, 32, 36].map((at) => header.getUint32(at)) as [
    number,
    number,
    number,
  ];
  if (header.getUint32(0) !== blobMagic) throw bad('magic', 0, 'another mark is here');
  if (bytes < headerBytes || bytes > mostBytes) throw bad('totalsize', 4, `${bytes} bytes`);
  const blob = await readWithin(source, 0, bytes, 'device tree', 'totalsize');
  if (structAt % 4 !== 0 || structAt + structBytes > bytes) throw bad('off_dt_struct', 8, 'it lies outside');
  if (stringsAt + stringsBytes > bytes) throw bad('off_dt_strings', 12, 'they lie outside');
  const view = viewOf(blob);
  const end = structAt + structBytes;
  const text = (at: number, most: number): string => {
    const nul = blob.subarray(at, most).indexOf(0);
    if (nul < 0) throw bad('name', at, 'it has no end');
    return readUtf8(blob.subarray(at, at + nul));
  };
  const root = new Map<string, string[]>();
  let [at, depth, nodes] = [structAt, 0, 0];
  for (;;) {
    if (at + 4 > end) throw bad('structure block', at, 'it has no end');
    const token = view.getUint32(at);
    at += 4;
    if (token === tokens.whole) break;
    if (token === tokens.begin) {
      if (++depth > mostDepth) throw bad('structure block', at, `nodes lie more than ${mostDepth} deep`);
      nodes++;
      const from = at;
      while (at < end && blob[at] !== 0) at++;
      if (at >= end) throw bad('name', from, 'it has no end');
      at = aligned(at + 1);
    } else if (token === tokens.end) {
      if (--depth < 0) throw bad('structure block', at, 'a node ends that did not begin');
    } else if (token === tokens.property) {
      if (at + 8 > end) throw bad('property', at, 'it has no end');
      const [length, nameAt] = [view.getUint32(at), view.getUint32(at + 4)];
      at += 8;
      if (at + length > end) throw bad('property', at, `${length} bytes lie outside`);
      if (depth === 1 && nameAt < stringsBytes) {
        const name = text(stringsAt + nameAt, stringsAt + stringsBytes);
        if (name === 'model' || name === 'compatible')
          root.set(
            name,
            readUtf8(blob.subarray(at, at + length))
              .split('\0')
              .filter(Boolean),
          );
      }
      at = aligned(at + length);
    } else if (token !== tokens.nop)
      throw bad('structure block', at - 4, `0x${token.toString(16)} is no token`);
  }
  if (depth !== 0) throw bad('structure block', at, 'a node has no end');
  const [model = ''] = root.get('model') ?? [];
  return { bytes, version, model, compatible: root.get('compatible') ?? [], nodes };
}

/** @throws FormatError */
export async function readDeviceTreeTable(source: ByteSource): Promise<DeviceTreeTable> {
  const bad = (field: string, offset: number, what: string) => new FormatError('dtbo', field, offset, what);
  const header = viewOf(await readWithin(source, 0, tableHeaderBytes, 'dtbo', 'header'));
  const [bytes, size, entrySize, count, entriesAt, pageBytes, version] = [4, 8, 12, 16, 20, 24, 28].map(
    (at) => header.getUint32(at),
  ) as [number, number, number, number, number, number, number];
  if (header.getUint32(0) !== tableMagic) throw bad('magic', 0, 'another mark is here');
  if (size < tableHeaderBytes) throw bad('header_size', 8, `${size} bytes`);
  if (entrySize < entryBytes) throw bad('dt_entry_size', 12, `${entrySize} bytes`);
  if (count > mostEntries) throw bad('dt_entry_count', 16, `${count} entries`);
  if (bytes > source.bytes) throw bad('total_size', 4, `${bytes} bytes, and ${source.bytes} are here`);
  const table = viewOf(await readWithin(source, entriesAt, count * entrySize, 'dtbo', 'dt_entries_offset'));
  const entries = Array.from({ length: count }, (_, i) => {
    const [length, offset, id] = [0, 4, 8].map((at) => table.getUint32(i * entrySize + at)) as [
      number,
      number,
      number,
    ];
    if (offset + length > bytes)
      throw bad('dt_offset', entriesAt + i * entrySize + 4, `entry ${i} lies outside`);
    return { offset, bytes: length, id };
  });
  return { bytes, version, pageBytes, entries };
}

/** One blob of a table. */
export const deviceTreeOf = (
  source: ByteSource,
  { offset, bytes }: DeviceTreeTable['entries'][number],
): ByteSource => slice(source, offset, bytes);
