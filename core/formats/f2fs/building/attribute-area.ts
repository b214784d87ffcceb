import { utf8 } from '../../../bytes/text.ts';
import { viewOf } from '../../../bytes/layout.ts';
import { splitAttributeName } from '../../file-system/attribute-names.ts';
import { BuildError } from '../../file-system/building.ts';
import type { Attribute } from '../../file-system/reading.ts';
import { attributeHeaderBytes, attributeMagic } from '../layouts.ts';

/**
 * Attributes as they stand in an inode and, going on from there, in a node (fs/f2fs/xattr.h).
 * @returns undefined where there are none
 * @throws BuildError where there is no room for them
 */
export function attributeArea(attributes: readonly Attribute[], mostBytes: number): Uint8Array | undefined {
  if (attributes.length === 0) return undefined;
  const area = new Uint8Array(mostBytes);
  const view = viewOf(area);
  view.setUint32(0, attributeMagic, true);
  view.setUint32(4, 1, true); // h_refcount
  let at = attributeHeaderBytes;
  for (const { name, value } of attributes) {
    const { index, rest: text } = splitAttributeName(name);
    const rest = utf8(text);
    const next = (at + 4 + rest.length + value.length + 3) & ~3;
    // Four bytes of zeros end them.
    if (next + 4 > mostBytes) throw new BuildError('extended attributes are too large');
    view.setUint8(at, index);
    view.setUint8(at + 1, rest.length);
    view.setUint16(at + 2, value.length, true);
    area.set(rest, at + 4);
    area.set(value, at + 4 + rest.length);
    at = next;
  }
  return area.subarray(0, at + 4);
}
