import { FormatError } from '../../bytes/format-error.ts';
import { u32 } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import {
  bootMagic,
  headerVersionOffset,
  legacyHeader,
  modernHeader,
  modernPageBytes,
  versionFourFields,
  versionOneFields,
  versionTwoFields,
} from './layouts.ts';
import { unpackOsVersion, type OsVersion } from './os-version.ts';

export type BootPartName = 'kernel' | 'ramdisk' | 'second' | 'recoveryDtbo' | 'dtb' | 'signature';

export interface BootPart {
  readonly name: BootPartName;
  readonly offset: number;
  readonly bytes: number;
}

export interface BootImage {
  readonly headerVersion: number;
  readonly pageBytes: number;
  readonly os: OsVersion | undefined;
  readonly name: string;
  readonly commandLine: string;
  /** The parts that are there, in file order. */
  readonly parts: readonly BootPart[];
  /** Bytes the image takes, its last part padded to a page; the partition may be larger. */
  readonly bytes: number;
  /** Eight words of the header's `id` field, versions 0 to 2 only. */
  readonly id: readonly number[] | undefined;
}

/**
 * Reads the header of an Android boot image, versions 0 to 4 (AOSP, bootimg.h).
 * @throws FormatError when the header is none or a part lies outside the input
 */
export async function readBootImage(source: ByteSource): Promise<BootImage> {
  const headerBytes = Math.min(source.bytes, 4096);
  const header = await readWithin(source, 0, headerBytes, 'boot-image', 'header');
  const magic = legacyHeader.read(pad(header), 0).magic;
  if (magic !== bootMagic) throw new FormatError('boot-image', 'magic', 0, `no "${bootMagic}" here`);
  if (header.length < headerVersionOffset + 4) {
    throw new FormatError('boot-image', 'headerVersion', header.length, 'the input ends here');
  }
  const version = u32.read(new DataView(header.buffer, header.byteOffset), headerVersionOffset);
  // Before the field was a version, makers had the size of a device tree there (common practice, no published source).
  if (version > mostVersions && version < source.bytes) return readLegacy(header, 0, source.bytes, version);
  if (version > 4) {
    throw new FormatError(
      'boot-image',
      'headerVersion',
      headerVersionOffset,
      `version ${version} is unknown`,
    );
  }
  return version < 3 ? readLegacy(header, version, source.bytes) : readModern(header, version, source.bytes);
}

/** The magic is judged before the length, so that a short file that is something else says so. */
const pad = (header: Uint8Array) => {
  if (header.length >= legacyHeader.bytes) return header;
  const padded = new Uint8Array(legacyHeader.bytes);
  padded.set(header);
  return padded;
};

/** No version will be as large as the smallest device tree. */
const mostVersions = 1024;

/** @param treeBytes of a device tree behind the other parts, where the header has its size instead of a version */
function readLegacy(header: Uint8Array, version: number, inputBytes: number, treeBytes = 0): BootImage {
  const fields = legacyHeader.read(header);
  const { pageBytes } = fields;
  if (pageBytes < 2048 || pageBytes > 65536 || (pageBytes & (pageBytes - 1)) !== 0) {
    throw new FormatError(
      'boot-image',
      'pageBytes',
      legacyHeader.offsetOf('pageBytes'),
      `a page of ${pageBytes} bytes`,
    );
  }
  const sizes: [BootPartName, number][] = [
    ['kernel', fields.kernelBytes],
    ['ramdisk', fields.ramdiskBytes],
    ['second', fields.secondBytes],
  ];
  let end = legacyHeader.bytes;
  if (version >= 1) {
    const one = versionOneFields.read(header, end);
    sizes.push(['recoveryDtbo', one.recoveryDtboBytes]);
    end += versionOneFields.bytes;
    const expected = end + (version === 2 ? versionTwoFields.bytes : 0);
    if (one.headerBytes !== expected) {
      throw new FormatError(
        'boot-image',
        'headerBytes',
        legacyHeader.bytes + versionOneFields.offsetOf('headerBytes'),
        `${one.headerBytes}; version ${version} has ${expected}`,
      );
    }
  }
  if (treeBytes > 0) sizes.push(['dtb', treeBytes]);
  if (version === 2) sizes.push(['dtb', versionTwoFields.read(header, end).dtbBytes]);
  return {
    headerVersion: version,
    pageBytes,
    os: unpackOsVersion(fields.osVersion),
    name: fields.name,
    commandLine: fields.commandLine + fields.extraCommandLine,
    id: fields.id,
    ...place(sizes, pageBytes, inputBytes),
  };
}

/** What the first mkbootimg of Android 11, Debian's still, wrongly says of a header of version 3. */
const earlyHeaderBytes = 1596;

function readModern(header: Uint8Array, version: number, inputBytes: number): BootImage {
  const fields = modernHeader.read(header);
  const expected = modernHeader.bytes + (version === 4 ? versionFourFields.bytes : 0);
  if (fields.headerBytes !== expected && !(version === 3 && fields.headerBytes === earlyHeaderBytes)) {
    throw new FormatError(
      'boot-image',
      'headerBytes',
      modernHeader.offsetOf('headerBytes'),
      `${fields.headerBytes}; version ${version} has ${expected}`,
    );
  }
  const sizes: [BootPartName, number][] = [
    ['kernel', fields.kernelBytes],
    ['ramdisk', fields.ramdiskBytes],
  ];
  if (version === 4) {
    sizes.push(['signature', versionFourFields.read(header, modernHeader.bytes).signatureBytes]);
  }
  return {
    headerVersion: version,
    pageBytes: modernPageBytes,
    os: unpackOsVersion(fields.osVersion),
    name: '',
    commandLine: fields.commandLine,
    id: undefined,
    ...place(sizes, modernPageBytes, inputBytes),
  };
}

/** Parts follow the header's page one after the other, each starting on a page. */
function place(sizes: [BootPartName, number][], pageBytes: number, inputBytes: number) {
  const parts: BootPart[] = [];
  let offset = pageBytes;
  for (const [name, bytes] of sizes) {
    if (bytes === 0) continue;
    if (offset + bytes > inputBytes) {
      throw new FormatError(
        'boot-image',
        `${name}Bytes`,
        offset,
        `the ${name} has ${bytes} bytes; the input ends at ${inputBytes}`,
      );
    }
    parts.push({ name, offset, bytes });
    offset = Math.ceil((offset + bytes) / pageBytes) * pageBytes;
  }
  return { parts, bytes: offset };
}
