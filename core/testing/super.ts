// A `super` by the published layout (AOSP liblp, metadata_format.h), with plain offsets and node:crypto.
import { createHash } from 'node:crypto';

const sha256 = (bytes: Buffer) => createHash('sha256').update(bytes).digest();
const words = (...values: number[]) => {
  const bytes = Buffer.alloc(values.length * 4);
  values.forEach((value, i) => bytes.writeUInt32LE(value, i * 4));
  return bytes;
};
const u64 = (value: number) => {
  const bytes = Buffer.alloc(8);
  bytes.writeBigUInt64LE(BigInt(value));
  return bytes;
};
const name = (text: string) => Buffer.concat([Buffer.from(text), Buffer.alloc(36)]).subarray(0, 36);

export const superBytes = 8 << 20;
export const maxBytes = 65536;
const slots = 2;

function geometry(): Buffer {
  const bytes = Buffer.alloc(4096);
  Buffer.concat([words(0x616c4467, 52), Buffer.alloc(32), words(maxBytes, slots, 4096)]).copy(bytes);
  sha256(bytes.subarray(0, 52)).copy(bytes, 8);
  return bytes;
}

export interface Table {
  /** `[name, attributes, first extent, extents, group]` */
  partitions: [string, number, number, number, number][];
  /** `[sectors, type, first sector, device]` */
  extents: [number, number, number, number][];
  groups: [string, number][];
}

export const usual: Table = {
  partitions: [
    ['system_a', 1 | 4, 0, 2, 1],
    ['vendor_a', 1, 2, 1, 1],
    ['system_b', 1, 3, 0, 1],
  ],
  extents: [
    [2048, 0, 2048, 0],
    [64, 1, 0, 0],
    [512, 0, 8192, 0],
  ],
  groups: [
    ['default', 0],
    ['tideos_dynamic_partitions_a', 6 << 20],
  ],
};

function metadata({ partitions, extents, groups }: Table): Buffer {
  const tables = [
    Buffer.concat(partitions.map(([text, ...numbers]) => Buffer.concat([name(text), words(...numbers)]))),
    Buffer.concat(
      extents.map(([sectors, type, at, device]) =>
        Buffer.concat([u64(sectors), words(type), u64(at), words(device)]),
      ),
    ),
    Buffer.concat(groups.map(([text, most]) => Buffer.concat([name(text), words(0), u64(most)]))),
    Buffer.concat([u64(2048), words(1 << 20, 0), u64(superBytes), name('super'), words(0)]),
  ];
  const counts = [partitions.length, extents.length, groups.length, 1];
  const entryBytes = [52, 24, 48, 64];
  let offset = 0;
  const described = tables.map((table, i) => {
    const words3 = words(offset, counts[i]!, entryBytes[i]!);
    offset += table.length;
    return words3;
  });
  const body = Buffer.concat(tables);
  const header = Buffer.concat([
    words(0x414c5030),
    Buffer.of(10, 0, 2, 0),
    words(256),
    Buffer.alloc(32),
    words(body.length),
    sha256(body),
    ...described,
    Buffer.alloc(128),
  ]);
  sha256(header).copy(header, 12);
  return Buffer.concat([header, body]);
}

/** A `super` with both geometries and, for each slot, both copies. */
export function superImage(tables: readonly Table[] = [usual, usual]): Buffer {
  const bytes = Buffer.alloc(superBytes);
  for (let i = 4096; i < bytes.length; i += 512) bytes.writeUInt32LE(i / 512, i);
  geometry().copy(bytes, 4096);
  geometry().copy(bytes, 8192);
  tables.forEach((table, slot) => {
    for (const copy of [slot, slots + slot]) metadata(table).copy(bytes, 12288 + copy * maxBytes);
  });
  return bytes;
}
