import { FormatError } from '../../bytes/format-error.ts';
import { readAscii } from '../../bytes/text.ts';
import type { Attribute } from '../file-system/reading.ts';
import { viewOf } from '../../bytes/layout.ts';
import { attributePrefixes } from '../file-system/attribute-names.ts';
import { attributeEntryBytes, attributeHeaderBytes, longPrefixFlag } from './layouts.ts';

/** Words of the shared attributes that an area names, and where its own begin. */
export function sharedIn(area: Uint8Array, offset: number): { shared: number[]; ownAt: number } {
  if (area.length < attributeHeaderBytes) return { shared: [], ownAt: area.length };
  const count = area[4]!;
  const ownAt = attributeHeaderBytes + count * 4;
  if (ownAt > area.length) throw new FormatError('erofs', 'h_shared_count', offset + 4, `${count}`);
  const view = viewOf(area);
  const shared = Array.from({ length: count }, (_, i) => view.getUint32(attributeHeaderBytes + i * 4, true));
  return { shared, ownAt };
}

/**
 * One attribute.
 * @param longPrefixes what names may begin with besides those every file system has
 * @returns where the next one begins
 */
export function attributeAt(
  area: Uint8Array,
  at: number,
  offset: number,
  longPrefixes: readonly string[],
): { readonly attribute: Attribute; readonly next: number } {
  const bad = (reason: string) => new FormatError('erofs', 'e_value_size', offset + at, reason);
  if (at + attributeEntryBytes > area.length) throw bad('an attribute that is not there');
  const [nameBytes, prefix] = [area[at]!, area[at + 1]!];
  const valueBytes = viewOf(area).getUint16(at + 2, true);
  const nameAt = at + attributeEntryBytes;
  const end = nameAt + nameBytes + valueBytes;
  if (end > area.length) throw bad(`${valueBytes} bytes of a value`);
  const isLong = (prefix & longPrefixFlag) !== 0;
  const begins = isLong ? longPrefixes[prefix & ~longPrefixFlag] : attributePrefixes[prefix];
  return {
    attribute: {
      name: (begins ?? `${prefix}.`) + readAscii(area.subarray(nameAt, nameAt + nameBytes)),
      value: area.slice(nameAt + nameBytes, end),
    },
    next: (end + 3) & ~3,
  };
}
