import { utf8 } from '../../../bytes/text.ts';
import type { StoredAttribute as Attribute } from '../attributes.ts';
import { splitAttributeName } from '../../file-system/attribute-names.ts';
import { attributeEntry, attributeMagic } from '../layouts.ts';

export type NewAttribute = Pick<Attribute, 'name' | 'value'>;

interface SplitAttribute {
  readonly index: number;
  readonly name: Uint8Array;
  readonly value: Uint8Array;
}

/** In the order that blocks want: by prefix, then length, then name. */
function splitAttributes(attributes: readonly NewAttribute[]): SplitAttribute[] {
  return attributes
    .map(({ name, value }) => {
      const { index, rest } = splitAttributeName(name);
      return { index, name: utf8(rest), value };
    })
    .sort((a, b) => a.index - b.index || a.name.length - b.name.length || compare(a.name, b.name));
}

function compare(a: Uint8Array, b: Uint8Array): number {
  const at = a.findIndex((byte, i) => byte !== b[i]);
  return at < 0 ? 0 : a[at]! - b[at]!;
}

const blockBytes = 4096;
const padded = (bytes: number) => (bytes + 3) & ~3;

/**
 * Attributes behind an inode; undefined when they do not fit there.
 * @param bytes from the end of its fields to the end of its record
 */
export function inodeArea(attributes: readonly NewAttribute[], bytes: number): Uint8Array | undefined {
  const area = new Uint8Array(bytes);
  if (attributes.length === 0) return area;
  new DataView(area.buffer).setUint32(0, attributeMagic, true);
  return writeEntries(area.subarray(4), 0, splitAttributes(attributes)) ? area : undefined;
}

/** Attributes as a block of 4096 bytes; undefined when they do not fit there. */
export function attributeBlock(attributes: readonly NewAttribute[]): Uint8Array | undefined {
  const block = new Uint8Array(blockBytes);
  const view = new DataView(block.buffer);
  const split = splitAttributes(attributes);
  const hash = writeEntries(block, 32, split);
  if (hash === undefined) return undefined;
  view.setUint32(0, attributeMagic, true);
  view.setUint32(4, 1, true); // h_refcount
  view.setUint32(8, 1, true); // h_blocks
  view.setUint32(12, hash, true);
  return block;
}

/** Entries from the front, their values from the end. @returns the hash of all; undefined when there is no room */
function writeEntries(
  area: Uint8Array,
  first: number,
  attributes: readonly SplitAttribute[],
): number | undefined {
  let at = first;
  let end = area.length;
  let all = 0;
  for (const { index, name, value } of attributes) {
    const next = at + padded(attributeEntry.bytes + name.length);
    end -= padded(value.length);
    // Four bytes of zeros end the entries.
    if (next + 4 > end) return undefined;
    const hash = entryHash(name, value);
    attributeEntry.write(area, at, {
      e_name_len: name.length,
      e_name_index: index,
      e_value_offs: value.length === 0 ? 0 : end,
      e_value_inum: 0,
      e_value_size: value.length,
      e_hash: hash,
    });
    area.set(name, at + attributeEntry.bytes);
    area.set(value, end);
    all = ((all << 16) ^ (all >>> 16) ^ hash) >>> 0;
    at = next;
  }
  return all;
}

/** ext4_xattr_hash_entry (kernel, fs/ext4/xattr.c). */
function entryHash(name: Uint8Array, value: Uint8Array): number {
  let hash = 0;
  for (const byte of name) hash = ((hash << 5) ^ (hash >>> 27) ^ byte) >>> 0;
  const words = new DataView(new ArrayBuffer(padded(value.length)));
  value.forEach((byte, i) => words.setUint8(i, byte));
  for (let i = 0; i < words.byteLength; i += 4) {
    hash = ((hash << 16) ^ (hash >>> 16) ^ words.getUint32(i, true)) >>> 0;
  }
  return hash;
}
