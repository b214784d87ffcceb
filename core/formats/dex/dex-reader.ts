import { FormatError } from '../../bytes/format-error.ts';
import { readAscii, readUtf8 } from '../../bytes/text.ts';
import { classDefinition, dexHeader, endianMark, magicText } from './layouts.ts';

const bad = (field: string, offset: number, reason: string) => new FormatError('dex', field, offset, reason);
/** A 32-bit length takes at most five bytes. */
const mostLengthBytes = 5;

/**
 * Names of the classes whose code is in a file of compiled code, as in sources: `example.marsh.Tracker`; those
 * that it only refers to are left out (Android, "Dalvik executable format").
 * @throws FormatError
 */
export function definedClasses(bytes: Uint8Array): string[] {
  const header = dexHeader.read(bytes);
  if (readAscii(header.magic.subarray(0, 3)) !== magicText.trim() || header.magic[3] !== 0x0a)
    throw bad('magic', 0, 'this is not compiled code');
  if (header.endian !== endianMark) throw bad('endian', dexHeader.offsetOf('endian'), 'not little endian');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const table = (name: 'strings' | 'types' | 'classes', offset: number, itemBytes: number) => {
    const end = offset + header[name] * itemBytes;
    if (end > bytes.length)
      throw bad(name, dexHeader.offsetOf(name), `${header[name]} run past the file’s end`);
    return { at: (index: number) => offset + index * itemBytes, count: header[name] };
  };
  const strings = table('strings', header.stringsOffset, 4);
  const types = table('types', header.typesOffset, 4);
  const classes = table('classes', header.classesOffset, classDefinition.bytes);
  const names: string[] = [];
  for (let i = 0; i < classes.count; i++) {
    const { type } = classDefinition.read(bytes, classes.at(i));
    if (type >= types.count) throw bad('type', classes.at(i), `there is no type ${type}`);
    const string = view.getUint32(types.at(type), true);
    if (string >= strings.count) throw bad('descriptor', types.at(type), `there is no string ${string}`);
    names.push(nameOf(stringAt(bytes, view.getUint32(strings.at(string), true))));
  }
  return names;
}

/** A count of characters, then these as MUTF-8 up to a NUL. */
function stringAt(bytes: Uint8Array, offset: number): string {
  let at = offset;
  while (at < offset + mostLengthBytes && (bytes[at] ?? 0) & 0x80) at++;
  const end = bytes.indexOf(0, at + 1);
  if (at >= bytes.length || end < 0) throw bad('string', offset, 'a string runs past the file’s end');
  return readUtf8(bytes.subarray(at + 1, end));
}

/** `Lexample/marsh/Tracker;` */
const nameOf = (descriptor: string): string => descriptor.replace(/^L|;$/g, '').replaceAll('/', '.');
