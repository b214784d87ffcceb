import { FormatError } from '../../bytes/format-error.ts';
import { ascii, layout, u32, u64, words } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';

/** "VNDRBOOT" */
export const vendorBootMagic = 'VNDRBOOT';

/** Vendor boot header, version 3 (AOSP system/tools/mkbootimg, bootimg.h). */
export const vendorHeader = layout('vendor-boot', {
  magic: ascii(8),
  headerVersion: u32,
  pageBytes: u32,
  kernelAddress: u32,
  ramdiskAddress: u32,
  ramdiskBytes: u32,
  commandLine: ascii(2048),
  tagsAddress: u32,
  name: ascii(16),
  headerBytes: u32,
  dtbBytes: u32,
  dtbAddress: u64,
});

/** What version 4 adds. */
export const vendorVersionFour = layout('vendor-boot', {
  tableBytes: u32,
  tableEntries: u32,
  tableEntryBytes: u32,
  bootconfigBytes: u32,
});

/** A ramdisk of the vendor ramdisk section, version 4. */
export const vendorRamdisk = layout('vendor-boot', {
  bytes: u32,
  offset: u32, // into the vendor ramdisk section
  type: u32,
  name: ascii(32),
  boardId: words(16),
});

const ramdiskTypes: readonly string[] = ['none', 'platform', 'recovery', 'dlkm'];

export interface VendorBootPart {
  readonly name: 'ramdisks' | 'dtb' | 'ramdiskTable' | 'bootconfig';
  readonly offset: number;
  readonly bytes: number;
}

export interface VendorBoot {
  readonly headerVersion: 3 | 4;
  readonly pageBytes: number;
  readonly name: string;
  readonly commandLine: string;
  /** The parts that are there, in file order. */
  readonly parts: readonly VendorBootPart[];
  /** Single ramdisks, version 4 only. */
  readonly ramdisks: readonly {
    readonly name: string;
    readonly type: string;
    readonly offset: number;
    readonly bytes: number;
  }[];
  /** Bytes the image takes, its last part padded to a page. */
  readonly bytes: number;
}

/** What the first mkbootimg of Android 11, Debian's still, wrongly says of a header of version 3. */
const earlyHeaderBytes = 2108;

/**
 * Reads the header of a vendor boot image, version 3 or 4 (AOSP, bootimg.h).
 * @throws FormatError when the header is none or a part lies outside the input
 */
export async function readVendorBoot(source: ByteSource): Promise<VendorBoot> {
  const headerRoom = vendorHeader.bytes + vendorVersionFour.bytes;
  const head = await readWithin(source, 0, Math.min(source.bytes, headerRoom), 'vendor-boot', 'header');
  const header = vendorHeader.read(head);
  const bad = (field: Parameters<typeof vendorHeader.offsetOf>[0], reason: string) =>
    new FormatError('vendor-boot', field, vendorHeader.offsetOf(field), reason);
  if (header.magic !== vendorBootMagic) throw bad('magic', `no "${vendorBootMagic}" here`);
  const { headerVersion, pageBytes } = header;
  if (headerVersion !== 3 && headerVersion !== 4) {
    throw bad('headerVersion', `version ${headerVersion} is unknown`);
  }
  if (pageBytes < 2048 || pageBytes > 65536 || (pageBytes & (pageBytes - 1)) !== 0) {
    throw bad('pageBytes', `a page of ${pageBytes} bytes`);
  }
  const expected = vendorHeader.bytes + (headerVersion === 4 ? vendorVersionFour.bytes : 0);
  if (header.headerBytes !== expected && !(headerVersion === 3 && header.headerBytes === earlyHeaderBytes)) {
    throw bad('headerBytes', `${header.headerBytes}; version ${headerVersion} has ${expected}`);
  }
  const four = headerVersion === 4 ? vendorVersionFour.read(head, vendorHeader.bytes) : undefined;
  const parts: VendorBootPart[] = [];
  let offset = Math.ceil(expected / pageBytes) * pageBytes;
  for (const [name, bytes] of [
    ['ramdisks', header.ramdiskBytes],
    ['dtb', header.dtbBytes],
    ['ramdiskTable', four?.tableBytes ?? 0],
    ['bootconfig', four?.bootconfigBytes ?? 0],
  ] as const) {
    if (bytes === 0) continue;
    if (offset + bytes > source.bytes) {
      throw new FormatError(
        'vendor-boot',
        `${name}Bytes`,
        offset,
        `${name} has ${bytes} bytes; the input ends at ${source.bytes}`,
      );
    }
    parts.push({ name, offset, bytes });
    offset = Math.ceil((offset + bytes) / pageBytes) * pageBytes;
  }
  return {
    headerVersion,
    pageBytes,
    name: header.name,
    commandLine: header.commandLine,
    parts,
    ramdisks: four ? await readRamdisks(source, four, parts) : [],
    bytes: offset,
  };
}

async function readRamdisks(
  source: ByteSource,
  { tableBytes, tableEntries, tableEntryBytes }: ReturnType<typeof vendorVersionFour.read>,
  parts: readonly VendorBootPart[],
): Promise<VendorBoot['ramdisks']> {
  const table = parts.find(({ name }) => name === 'ramdiskTable');
  const section = parts.find(({ name }) => name === 'ramdisks');
  if (!table || tableEntries === 0) return [];
  const bad = (field: string, reason: string) => new FormatError('vendor-boot', field, table.offset, reason);
  if (tableEntryBytes < vendorRamdisk.bytes || tableEntries * tableEntryBytes > tableBytes) {
    throw bad('tableEntries', `${tableEntries} of ${tableEntryBytes} bytes in ${tableBytes}`);
  }
  const bytes = await readWithin(source, table.offset, tableBytes, 'vendor-boot', 'ramdiskTable');
  return Array.from({ length: tableEntries }, (_, i) => {
    const entry = vendorRamdisk.read(bytes, i * tableEntryBytes, table.offset);
    if (!section || entry.offset + entry.bytes > section.bytes) {
      throw bad('ramdiskOffset', `${entry.name || i} has ${entry.bytes} bytes at ${entry.offset}`);
    }
    return {
      name: entry.name,
      type: ramdiskTypes[entry.type] ?? `type ${entry.type}`,
      offset: section.offset + entry.offset,
      bytes: entry.bytes,
    };
  });
}
