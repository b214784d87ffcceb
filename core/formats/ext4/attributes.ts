import { FormatError } from '../../bytes/format-error.ts';
import { readAscii } from '../../bytes/text.ts';
import type { Attribute } from '../file-system/reading.ts';
import { attributeEntry, attributeMagic, attributePrefixes } from './layouts.ts';

export interface StoredAttribute extends Attribute {
  /** Inode holding the value when it is too large for the attribute block (feature ea_inode). */
  readonly valueInode: number;
  readonly valueBytes: number;
}

/** Bytes of struct ext4_xattr_header before the entries of an attribute block. */
const blockHeaderBytes = 32;

/** Attributes behind an inode: magic, entries, values; offsets count from the first entry. */
export function inodeAttributes(area: Uint8Array, offset: number): StoredAttribute[] {
  if (area.length < 4 || magicOf(area) !== attributeMagic) return [];
  return entries(area.subarray(4), 0, offset + 4);
}

/** Attributes in a block of their own; offsets count from the start of the block. */
export function blockAttributes(block: Uint8Array, offset: number): StoredAttribute[] {
  if (magicOf(block) !== attributeMagic) {
    throw new FormatError('ext4', 'h_magic', offset, `0x${magicOf(block).toString(16)}`);
  }
  return entries(block, blockHeaderBytes, offset);
}

const magicOf = (bytes: Uint8Array) =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength).getUint32(0, true);

function entries(area: Uint8Array, first: number, base: number): StoredAttribute[] {
  const found: StoredAttribute[] = [];
  for (let at = first; at + 4 <= area.length;) {
    if (area[at] === 0 && area[at + 1] === 0 && area[at + 2] === 0 && area[at + 3] === 0) break;
    const entry = attributeEntry.read(area, at, base);
    const nameAt = at + attributeEntry.bytes;
    if (nameAt + entry.e_name_len > area.length) {
      throw new FormatError('ext4', 'e_name_len', base + at, `${entry.e_name_len}`);
    }
    const stored = entry.e_value_inum === 0;
    if (stored && entry.e_value_offs + entry.e_value_size > area.length) {
      throw new FormatError(
        'ext4',
        'e_value_size',
        base + at + attributeEntry.offsetOf('e_value_size'),
        `${entry.e_value_size} bytes at ${entry.e_value_offs}`,
      );
    }
    const prefix = attributePrefixes[entry.e_name_index] ?? `${entry.e_name_index}.`;
    found.push({
      name: prefix + readAscii(area.subarray(nameAt, nameAt + entry.e_name_len)),
      value: stored
        ? new Uint8Array(area.subarray(entry.e_value_offs, entry.e_value_offs + entry.e_value_size))
        : new Uint8Array(),
      valueInode: entry.e_value_inum,
      valueBytes: entry.e_value_size,
    });
    at = (nameAt + entry.e_name_len + 3) & ~3;
  }
  return found;
}
