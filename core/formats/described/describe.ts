import type { ByteSource } from '../../bytes/source.ts';
import { sizeText } from '../../bytes/units.ts';
import { readDosTable, readFat } from '../boot-sector/boot-sector.ts';
import { inspection, type Inspection } from '../inspect/inspection.ts';
import {
  deviceTreeOf,
  looksLikeDeviceTree,
  looksLikeDeviceTreeTable,
  readDeviceTree,
  readDeviceTreeTable,
} from './device-tree.ts';
import { readV4Signature } from '../apk/v4-signature.ts';
import { readElf } from './elf.ts';
import { readMbn } from './mbn.ts';
import { readSquashfs } from './squashfs.ts';

const deviceTreeFormat = 'device tree';
const deviceTreesFormat = 'device trees (dtbo)';
/** Blobs of a table that are told one by one. */
const mostTold = 64;

const endsEarly = (format: string, wanted: number, bytes: number): string[] =>
  wanted > bytes
    ? [`The ${format} has ${sizeText(wanted)}, and ${sizeText(bytes)} are here: it ends too early.`]
    : [];

/**
 * What is told and not looked into: FAT, tables of the older kind, squashfs, programs and loaders, signatures beside APKs, device trees.
 * @returns undefined for anything else
 * @throws FormatError where it carries the mark of a device tree and cannot be read as one
 */
export async function describe(head: Uint8Array, source: ByteSource): Promise<Inspection | undefined> {
  return (
    ofBootSector(head, source.bytes) ??
    ofSquashfs(head, source.bytes) ??
    ofElf(head, source.bytes) ??
    ofMbn(head, source.bytes) ??
    ofV4Signature(head, source.bytes) ??
    ofTrees(head, source)
  );
}

/** The same by its first bytes alone, by the names that `describe` gives; undefined for anything else. */
export function describedMark(head: Uint8Array): string | undefined {
  if (looksLikeDeviceTree(head)) return deviceTreeFormat;
  if (looksLikeDeviceTreeTable(head)) return deviceTreesFormat;
  const found = ofBootSector(head, head.length) ?? ofSquashfs(head, head.length) ?? ofElf(head, head.length);
  return found?.format;
}

function ofBootSector(head: Uint8Array, bytes: number): Inspection | undefined {
  const fat = readFat(head);
  if (fat)
    return inspection(fat.kind, bytes, {
      fields: {
        volume: fat.label || 'unnamed',
        'sector size': fat.sectorBytes,
        'cluster size': fat.clusterBytes,
      },
      findings: endsEarly('file system', fat.bytes, bytes),
    });
  const table = readDosTable(head);
  return (
    table &&
    inspection('DOS partition table', bytes, {
      rows: table.map(({ number, type, active, firstSector, sectors }) =>
        [
          `${number}: type 0x${type.toString(16).padStart(2, '0')}`,
          `sectors ${firstSector}–${firstSector + sectors - 1}`,
          sizeText(sectors * 512),
          ...(active ? ['active'] : []),
        ].join(', '),
      ),
    })
  );
}

function ofSquashfs(head: Uint8Array, bytes: number): Inspection | undefined {
  const found = readSquashfs(head);
  return (
    found &&
    inspection('squashfs', bytes, {
      fields: {
        version: found.version,
        compression: found.compression,
        'block size': found.blockBytes,
        inodes: found.inodes,
        made: new Date(found.madeAt * 1000).toISOString(),
        'in use': `${sizeText(found.usedBytes)} (${found.usedBytes} bytes)`,
      },
      findings: endsEarly('file system', found.usedBytes, bytes),
    })
  );
}

function ofElf(head: Uint8Array, bytes: number): Inspection | undefined {
  const found = readElf(head);
  return (
    found &&
    inspection('ELF', bytes, {
      fields: {
        kind: found.kind,
        machine: `${found.machine}, ${found.bits} bits`,
        entry: `0x${found.entry.toString(16)}`,
        segments: found.segments,
      },
    })
  );
}

function ofMbn(head: Uint8Array, bytes: number): Inspection | undefined {
  const found = readMbn(head, bytes);
  return (
    found &&
    inspection('MBN', bytes, {
      fields: {
        image: `0x${found.imageId.toString(16)}`,
        'header version': found.version,
        'loaded to': `0x${found.address.toString(16)}`,
        code: `${found.codeBytes} bytes`,
        signature: found.signatureBytes > 0 ? `${found.signatureBytes} bytes, not checked` : 'none',
        certificates: `${found.certificateBytes} bytes`,
      },
    })
  );
}

function ofV4Signature(head: Uint8Array, bytes: number): Inspection | undefined {
  const found = readV4Signature(head);
  return (
    found &&
    inspection('APK signature (scheme v4)', bytes, {
      fields: { certificate: found.certificate, 'root hash': found.rootHash, 'block size': found.blockBytes },
      rows: [
        'It belongs beside its APK, for putting that onto a phone piece by piece; the APK needs it for nothing else.',
      ],
    })
  );
}

async function ofTrees(head: Uint8Array, source: ByteSource): Promise<Inspection | undefined> {
  if (looksLikeDeviceTree(head)) return ofTree(source);
  if (!looksLikeDeviceTreeTable(head)) return undefined;
  const table = await readDeviceTreeTable(source);
  const inner: Inspection['inner'][number][] = [];
  for (const [i, entry] of table.entries.slice(0, mostTold).entries()) {
    const tree = deviceTreeOf(source, entry);
    // From version 1 on some are packed.
    const isPlain = looksLikeDeviceTree(await tree.read(0, Math.min(4, tree.bytes)));
    if (isPlain) inner.push({ name: `tree ${i}`, inspection: await ofTree(tree) });
  }
  return inspection(deviceTreesFormat, source.bytes, {
    fields: { version: table.version, 'page size': table.pageBytes, trees: table.entries.length },
    rows: table.entries.map(
      ({ offset, bytes, id }, i) => `tree ${i}: ${bytes} bytes at ${offset}, id 0x${id.toString(16)}`,
    ),
    inner,
  });
}

async function ofTree(source: ByteSource): Promise<Inspection> {
  const tree = await readDeviceTree(source);
  return inspection(deviceTreeFormat, source.bytes, {
    fields: {
      model: tree.model || 'not said',
      compatible: tree.compatible.join(', ') || 'not said',
      version: tree.version,
      nodes: tree.nodes,
    },
  });
}
