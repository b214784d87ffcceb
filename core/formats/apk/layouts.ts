import { layout, raw, u16, u32, u8 } from '../../bytes/layout.ts';

/** Chunks of compiled resources (AOSP frameworks/base, libs/androidfw, ResourceTypes.h), little endian. */
export const chunkHeader = layout('resources', { type: u16, headerBytes: u16, bytes: u32 });

export const chunkTypes = {
  stringPool: 0x0001,
  table: 0x0002,
  xml: 0x0003,
  startNamespace: 0x0100,
  endNamespace: 0x0101,
  startElement: 0x0102,
  endElement: 0x0103,
  resourceMap: 0x0180,
  package: 0x0200,
  type: 0x0201,
  typeSpec: 0x0202,
} as const;

/** `ResStringPool_header`, behind its chunk header. */
export const stringPoolHeader = layout('resources', {
  strings: u32,
  styles: u32,
  flags: u32,
  stringsStart: u32, // from the start of the chunk
  stylesStart: u32,
});
export const utf8Flag = 1 << 8;

/** `Res_value`. */
export const resourceValue = layout('resources', { bytes: u16, zero: u8, type: u8, data: u32 });

export const valueTypes = {
  reference: 0x01,
  string: 0x03,
  dynamicReference: 0x07,
  decimal: 0x10,
  hexadecimal: 0x11,
  boolean: 0x12,
} as const;

/** No string, no namespace. */
export const none = 0xffffffff;

/** `ResXMLTree_attrExt`, behind the node's header of 16 bytes. */
export const elementHeader = layout('binary-xml', {
  namespace: u32,
  name: u32,
  attributesStart: u16, // from here
  attributeBytes: u16,
  attributes: u16,
  idIndex: u16,
  classIndex: u16,
  styleIndex: u16,
});

/** `ResXMLTree_attribute`, without its value. */
export const attributeHeader = layout('binary-xml', { namespace: u32, name: u32, rawValue: u32 });

/** `ResTable_package`, behind its chunk header. */
export const packageHeader = layout('resources', {
  id: u32,
  name: raw(256),
  typeStrings: u32,
  lastPublicType: u32,
  keyStrings: u32,
  lastPublicKey: u32,
});

/** `ResTable_type`, behind its chunk header, up to the configuration. */
export const typeHeader = layout('resources', {
  id: u8,
  flags: u8,
  reserved: u16,
  entries: u32,
  entriesStart: u32, // from the start of the chunk
});
export const typeFlags = { sparse: 1, offset16: 2 } as const;

/** `ResTable_config`, its first fields. */
export const configHead = layout('resources', {
  bytes: u32,
  mobileCountry: u16,
  mobileNetwork: u16,
  language: raw(2),
  country: raw(2),
  orientation: u8,
  touchscreen: u8,
  density: u16,
});

/** `ResTable_entry`. */
export const entryHeader = layout('resources', { bytes: u16, flags: u16, key: u32 });
export const entryFlags = { complex: 1, compact: 8 } as const;
