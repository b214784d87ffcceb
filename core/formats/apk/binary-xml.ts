import { FormatError } from '../../bytes/format-error.ts';
import { chunksIn } from './chunks.ts';
import {
  attributeHeader,
  chunkHeader,
  chunkTypes,
  elementHeader,
  none,
  resourceValue,
  valueTypes,
} from './layouts.ts';
import { StringPool } from './string-pool.ts';

export interface XmlAttribute {
  readonly name: string;
  /** The platform's number for the attribute, where it has one: names may be obfuscated. */
  readonly resourceId: number | undefined;
  readonly type: number;
  readonly data: number;
  /** Where it is text. */
  readonly text: string | undefined;
}

export interface XmlElement {
  readonly name: string;
  readonly attributes: readonly XmlAttribute[];
  readonly children: readonly XmlElement[];
}

/** Behind every node's chunk header: a line number and a comment. */
const nodeHeaderBytes = 16;
const deepest = 64;
const bad = (field: string, offset: number, reason: string) =>
  new FormatError('binary-xml', field, offset, reason);

/** Reads compiled XML (AOSP ResourceTypes.h) into its root element. @throws FormatError */
export function readBinaryXml(bytes: Uint8Array): XmlElement {
  const header = chunkHeader.read(bytes);
  if (header.type !== chunkTypes.xml) throw bad('type', 0, `chunk type 0x${header.type.toString(16)}`);
  let pool: StringPool | undefined;
  let resourceIds: Uint32Array = new Uint32Array();
  const root: XmlElement & { children: XmlElement[] } = { name: '', attributes: [], children: [] };
  const open: (XmlElement & { children: XmlElement[] })[] = [root];
  for (const chunk of chunksIn(bytes.subarray(header.headerBytes), header.headerBytes)) {
    if (chunk.type === chunkTypes.stringPool) pool = new StringPool(chunk.bytes, chunk.offset);
    else if (chunk.type === chunkTypes.resourceMap) {
      // A copy whatever kind of array this is, at the start of a memory of its own.
      const map = Uint8Array.from(chunk.bytes.subarray(chunk.headerBytes));
      resourceIds = new Uint32Array(map.buffer, 0, Math.floor(map.length / 4));
    } else if (chunk.type === chunkTypes.startElement) {
      if (!pool) throw bad('type', chunk.offset, 'an element before the strings');
      if (open.length > deepest) throw bad('element', chunk.offset, `more than ${deepest} levels`);
      const element = readElement(chunk.bytes, chunk.offset, pool, resourceIds);
      open.at(-1)!.children.push(element);
      open.push(element);
    } else if (chunk.type === chunkTypes.endElement) {
      if (open.length === 1) throw bad('element', chunk.offset, 'an end without its start');
      open.pop();
    }
  }
  const [first] = root.children;
  if (!first) throw bad('element', 0, 'no element');
  return first;
}

function readElement(
  bytes: Uint8Array,
  base: number,
  pool: StringPool,
  resourceIds: Uint32Array,
): XmlElement & { children: XmlElement[] } {
  const header = elementHeader.read(bytes, nodeHeaderBytes, base);
  if (header.attributeBytes < attributeHeader.bytes + resourceValue.bytes) {
    throw bad('attributeBytes', base, `${header.attributeBytes} bytes`);
  }
  const attributes: XmlAttribute[] = [];
  for (let i = 0; i < header.attributes; i++) {
    const at = nodeHeaderBytes + header.attributesStart + i * header.attributeBytes;
    const attribute = attributeHeader.read(bytes, at, base);
    const { type, data } = resourceValue.read(bytes, at + attributeHeader.bytes, base);
    const isText = type === valueTypes.string;
    const text = isText
      ? pool.at(data)
      : attribute.rawValue === none
        ? undefined
        : pool.at(attribute.rawValue);
    const resourceId = resourceIds[attribute.name];
    attributes.push({ name: pool.at(attribute.name), resourceId, type, data, text });
  }
  return { name: pool.at(header.name), attributes, children: [] };
}

/** All elements of a name below another, in order. */
export function* elementsNamed(root: XmlElement, ...names: readonly string[]): Generator<XmlElement> {
  for (const child of root.children) {
    if (names.includes(child.name)) yield child;
    yield* elementsNamed(child, ...names);
  }
}
