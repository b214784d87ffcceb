import { FormatError } from '../../bytes/format-error.ts';
import { readAscii } from '../../bytes/text.ts';
import type { Attribute } from '../file-system/reading.ts';
import { viewOf } from '../../bytes/layout.ts';
import { attributePrefixes } from '../file-system/attribute-names.ts';
import { attributeHeaderBytes, attributeMagic } from './layouts.ts';

/** Attributes as they stand in the inode and, going on from there, in a node of their own. @param offset of the inode, for error messages */
export function attributesOf(area: Uint8Array, offset: number): Attribute[] {
  if (area.length < attributeHeaderBytes) return [];
  const view = viewOf(area);
  if (view.getUint32(0, true) !== attributeMagic) return [];
  const found: Attribute[] = [];
  for (let at = attributeHeaderBytes; at + 4 <= area.length;) {
    if (view.getUint32(at, true) === 0) break;
    const nameBytes = area[at + 1]!;
    const valueBytes = view.getUint16(at + 2, true);
    const end = at + 4 + nameBytes + valueBytes;
    if (end > area.length)
      throw new FormatError('f2fs', 'e_value_size', offset, `${valueBytes} bytes of an attribute at ${at}`);
    const name = readAscii(area.subarray(at + 4, at + 4 + nameBytes));
    found.push({
      name: (attributePrefixes[area[at]!] ?? `${area[at]}.`) + name,
      value: area.slice(at + 4 + nameBytes, end),
    });
    at = (end + 3) & ~3;
  }
  return found;
}
