import { sha1 } from '@noble/hashes/legacy.js';
import { joinBytes } from '../../bytes/join.ts';
import { written } from '../../bytes/layout.ts';
import { utf8 } from '../../bytes/text.ts';
import { classDefinition, dexHeader, endianMark, magicText, mapItem, mapTypes, noIndex } from './layouts.ts';

const root = 'Ljava/lang/Object;';
const publicFlag = 1;
const adlerModulus = 65_521;

/**
 * Compiled code that has classes, each public and empty (Android, "Dalvik executable format", version 035).
 * @param names in ASCII, as in sources: `example.marsh.Tracker`
 */
export function writeDex(names: readonly string[]): Uint8Array {
  const descriptors = [...new Set(names)].map((name) => `L${name.replaceAll('.', '/')};`).sort();
  const strings = [...descriptors, root].sort();
  const indexOf = new Map(strings.map((text, i) => [text, i]));
  const stringsOffset = dexHeader.bytes;
  const typesOffset = stringsOffset + strings.length * 4;
  const classesOffset = typesOffset + strings.length * 4;
  const dataOffset = classesOffset + descriptors.length * classDefinition.bytes;

  const data = strings.map((text) => joinBytes([length(text.length), utf8(text), Uint8Array.of(0)]));
  const offsets: number[] = [];
  let at = dataOffset;
  for (const each of data) {
    offsets.push(at);
    at += each.length;
  }
  const mapOffset = Math.ceil(at / 4) * 4;
  const classes = descriptors.map((descriptor) =>
    written(classDefinition, {
      type: indexOf.get(descriptor)!,
      accessFlags: publicFlag,
      superclass: indexOf.get(root)!,
      interfacesOffset: 0,
      sourceFile: noIndex,
      annotationsOffset: 0,
      dataOffset: 0,
      staticValuesOffset: 0,
    }),
  );
  const map = mapOf([
    [mapTypes.header, 1, 0],
    [mapTypes.stringIds, strings.length, stringsOffset],
    [mapTypes.typeIds, strings.length, typesOffset],
    ...(classes.length > 0 ? [[mapTypes.classes, classes.length, classesOffset] as const] : []),
    [mapTypes.stringData, strings.length, dataOffset],
    [mapTypes.map, 1, mapOffset],
  ]);
  const fileBytes = mapOffset + map.length;
  const none = { linkBytes: 0, linkOffset: 0, prototypes: 0, prototypesOffset: 0 };
  const head = {
    ...none,
    magic: utf8(`${magicText}035\0`),
    checksum: 0,
    signature: new Uint8Array(20),
    fileBytes,
    headerBytes: dexHeader.bytes,
    endian: endianMark,
    mapOffset,
    strings: strings.length,
    stringsOffset,
    types: strings.length,
    typesOffset,
    fields: 0,
    fieldsOffset: 0,
    methods: 0,
    methodsOffset: 0,
    classes: classes.length,
    classesOffset: classes.length > 0 ? classesOffset : 0,
    dataBytes: fileBytes - dataOffset,
    dataOffset,
  };
  const body = joinBytes([
    littleEndian(offsets),
    littleEndian(strings.map((_, i) => i)),
    ...classes,
    ...data,
    new Uint8Array(mapOffset - at),
    map,
  ]);
  const signed = (value: typeof head) => joinBytes([written(dexHeader, value), body]);
  const signature = sha1(signed(head).subarray(dexHeader.offsetOf('fileBytes')));
  const checksum = adler32(signed({ ...head, signature }).subarray(dexHeader.offsetOf('signature')));
  return signed({ ...head, signature, checksum });
}

function mapOf(items: readonly (readonly [type: number, count: number, offset: number])[]): Uint8Array {
  const rows = items.map(([type, count, offset]) => written(mapItem, { type, unused: 0, count, offset }));
  return joinBytes([littleEndian([items.length]), ...rows]);
}

function littleEndian(values: readonly number[]): Uint8Array {
  const view = new DataView(new ArrayBuffer(values.length * 4));
  values.forEach((value, i) => view.setUint32(i * 4, value, true));
  return new Uint8Array(view.buffer);
}

/** Unsigned LEB128. */
function length(value: number): Uint8Array {
  const bytes: number[] = [];
  let rest = value;
  for (; rest > 0x7f; rest >>>= 7) bytes.push((rest & 0x7f) | 0x80);
  return Uint8Array.of(...bytes, rest);
}

/** RFC 1950, 2.2. */
function adler32(bytes: Uint8Array): number {
  let [a, b] = [1, 0];
  for (const byte of bytes) {
    a = (a + byte) % adlerModulus;
    b = (b + a) % adlerModulus;
  }
  return ((b << 16) | a) >>> 0;
}
