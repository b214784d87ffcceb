import { FormatError } from '../../bytes/format-error.ts';
import { slice, type ByteSource } from '../../bytes/source.ts';
import { sizeText } from '../../bytes/units.ts';
import { readBootImage, readVendorBoot, type VendorBoot } from '../boot-image/boot-image.ts';
import { readRamdisk } from '../boot-image/ramdisk.ts';
import type { CpioEntry } from '../cpio/cpio.ts';
import { inspection, type Inspection } from './inspection.ts';

/** Looks into what lies inside an image. */
type Inside = (name: string, source: ByteSource) => Promise<Inspection['inner']>;

interface Part {
  readonly name: string;
  readonly offset: number;
  readonly bytes: number;
}

/** Files of a ramdisk that are named one by one. */
const mostNamed = 500;
/** Larger than any ramdisk as it is packed. */
const mostPacked = 64 << 20;

/** Ramdisks and device trees; what a kernel holds is its own. */
async function innerOf(
  source: ByteSource,
  parts: readonly Part[],
  inside: Inside,
): Promise<Inspection['inner']> {
  const found: Inspection['inner'][number][] = [];
  for (const { name, offset, bytes } of parts) {
    if (name.startsWith('ramdisk') && bytes > 0 && bytes <= mostPacked)
      found.push(...(await ramdiskOf(name, await source.read(offset, bytes))));
    else if (/^(dtb|recoveryDtbo)$/.test(name))
      found.push(...(await inside(name, slice(source, offset, bytes))));
  }
  return found;
}

async function ramdiskOf(name: string, packed: Uint8Array): Promise<Inspection['inner']> {
  try {
    const ramdisk = await readRamdisk(packed);
    if (!ramdisk) return [];
    const { packing, unpackedBytes, entries } = ramdisk;
    const left = entries.length - mostNamed;
    return [
      {
        name,
        inspection: inspection('ramdisk (cpio)', packed.length, {
          fields: { packing, 'unpacked to': sizeText(unpackedBytes), entries: entries.length },
          rows: [...entries.slice(0, mostNamed).map(entryText), ...(left > 0 ? [`and ${left} more`] : [])],
        }),
      },
    ];
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return [{ name, inspection: inspection('damaged', packed.length, { findings: [error.message] }) }];
  }
}

const typeBits = { mask: 0xf000, folder: 0x4000, link: 0xa000, file: 0x8000 };

function entryText({ path, mode, content }: CpioEntry): string {
  const rights = (mode & 0o7777).toString(8).padStart(4, '0');
  const type = mode & typeBits.mask;
  if (type === typeBits.folder) return `${rights} ${path}/`;
  if (type === typeBits.link) return `${rights} ${path} → ${new TextDecoder().decode(content)}`;
  return type === typeBits.file
    ? `${rights} ${path}, ${content.length} bytes`
    : `${rights} ${path}, a device`;
}

/** With the single ramdisks that a table tells of instead of all of them in one. */
const partsOf = ({ parts, ramdisks }: VendorBoot): Part[] => [
  ...parts.filter(({ name }) => name !== 'ramdisks' || ramdisks.length === 0),
  ...ramdisks.map(({ name, type, offset, bytes }) => ({
    name: `ramdisk ${name || type}`,
    offset,
    bytes,
  })),
];

/** A boot image, the files of its ramdisk and the device trees in it. */
export async function inspectBootImage(source: ByteSource, inside: Inside): Promise<Inspection> {
  const image = await readBootImage(source);
  return inspection('boot image', source.bytes, {
    fields: {
      'header version': image.headerVersion,
      'page size': image.pageBytes,
      'Android version': image.os?.version ?? 'not said',
      'patch level': image.os?.patchLevel ?? 'not said',
      'command line': image.commandLine,
    },
    rows: image.parts.map(({ name, offset, bytes }) => `${name}: ${bytes} bytes at ${offset}`),
    inner: await innerOf(source, image.parts, inside),
  });
}

/** A vendor boot image, and the files of its ramdisks. */
export async function inspectVendorBoot(source: ByteSource, inside: Inside): Promise<Inspection> {
  const image = await readVendorBoot(source);
  const named = (name: string, bytes: number, offset: number) => `${name}: ${bytes} bytes at ${offset}`;
  return inspection('vendor boot image', source.bytes, {
    fields: {
      'header version': image.headerVersion,
      'page size': image.pageBytes,
      name: image.name,
      'command line': image.commandLine,
    },
    rows: [
      ...image.parts.map(({ name, bytes, offset }) => named(name, bytes, offset)),
      ...image.ramdisks.map(({ name, type, bytes, offset }) =>
        named(`ramdisk ${name || 'without a name'} (${type})`, bytes, offset),
      ),
    ],
    inner: await innerOf(source, partsOf(image), inside),
  });
}
