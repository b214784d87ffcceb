import { layout, raw, u16, u32 } from '../../bytes/layout.ts';

/** Header (Android, "Dalvik executable format", header_item), little endian; offsets count from the file's start. */
export const dexHeader = layout('dex', {
  magic: raw(8), // "dex\n", three digits of the version, NUL
  checksum: u32, // Adler-32 of all that follows
  signature: raw(20), // SHA-1 of all that follows
  fileBytes: u32,
  headerBytes: u32,
  endian: u32,
  linkBytes: u32,
  linkOffset: u32,
  mapOffset: u32,
  strings: u32,
  stringsOffset: u32,
  types: u32,
  typesOffset: u32,
  prototypes: u32,
  prototypesOffset: u32,
  fields: u32,
  fieldsOffset: u32,
  methods: u32,
  methodsOffset: u32,
  classes: u32,
  classesOffset: u32,
  dataBytes: u32,
  dataOffset: u32,
});
/** class_def_item */
export const classDefinition = layout('dex', {
  type: u32,
  accessFlags: u32,
  superclass: u32,
  interfacesOffset: u32,
  sourceFile: u32,
  annotationsOffset: u32,
  dataOffset: u32,
  staticValuesOffset: u32,
});
/** map_item */
export const mapItem = layout('dex', { type: u16, unused: u16, count: u32, offset: u32 });
export const mapTypes = {
  header: 0x0000,
  stringIds: 0x0001,
  typeIds: 0x0002,
  classes: 0x0006,
  map: 0x1000,
  stringData: 0x2002,
} as const;

export const endianMark = 0x12345678;
export const noIndex = 0xffffffff;
/** Before and after the version's digits. */
export const magicText = 'dex\n';
