import { sha256 } from '../../bytes/hashing.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger, type Layout } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { hex } from '../../bytes/text.ts';
import {
  attributeNames,
  geometryMagic,
  geometryRoomBytes,
  metadataMagic,
  reservedBytes,
  sectorBytes,
  structures,
  targetTypes,
  type LpTable,
} from './layouts.ts';

export interface LogicalExtent {
  /** `zero` reads as zeros and lies nowhere. */
  readonly target: 'linear' | 'zero';
  readonly bytes: number;
  /** Where it starts on its block device. */
  readonly startBytes: number;
  /** Position in `blockDevices`. */
  readonly device: number;
}

export interface LogicalPartition {
  readonly name: string;
  readonly group: string;
  readonly attributes: readonly string[];
  readonly bytes: number;
  readonly extents: readonly LogicalExtent[];
}

export interface LogicalPartitions {
  readonly version: string;
  readonly metadataSlots: number;
  readonly partitions: readonly LogicalPartition[];
  readonly groups: readonly { readonly name: string; readonly maximumBytes: number }[];
  readonly blockDevices: readonly { readonly partition: string; readonly bytes: number }[];
  /** What is wrong with the copies that were not used, in sentences. */
  readonly findings: readonly string[];
}

interface Geometry {
  readonly metadataMaxBytes: number;
  readonly metadataSlots: number;
}

const format = 'logical-partitions';
const bad = (field: string, offset: number, reason: string) => new FormatError(format, field, offset, reason);

/** Whether a partition carries logical ones, by its first 8 KiB. */
export const looksLikeLogical = (head: Uint8Array): boolean =>
  head.length >= reservedBytes + structures.geometry.bytes &&
  structures.geometry.read(head, reservedBytes).magic === geometryMagic;

/**
 * Reads the table of logical partitions in `super` (AOSP liblp, metadata_format.h): both geometries, and of
 * a slot's two copies of the metadata the first that is whole.
 *
 * @param source the partition `super`
 * @param slot which slot's metadata: 0 for `_a`, 1 for `_b`
 * @throws FormatError when neither copy can be used
 */
export async function readLogicalPartitions(source: ByteSource, slot = 0): Promise<LogicalPartitions> {
  const findings: string[] = [];
  const geometry = await firstWhole(
    [reservedBytes, reservedBytes + geometryRoomBytes],
    (offset) => readGeometry(source, offset),
    'geometry',
    findings,
  );
  if (slot >= geometry.metadataSlots) {
    throw bad(
      'metadataSlots',
      reservedBytes,
      `there is no slot ${slot}; there are ${geometry.metadataSlots}`,
    );
  }
  const first = reservedBytes + 2 * geometryRoomBytes;
  const { metadataMaxBytes, metadataSlots } = geometry;
  const found = await firstWhole(
    [first + slot * metadataMaxBytes, first + (metadataSlots + slot) * metadataMaxBytes],
    (offset) => readMetadata(source, offset, metadataMaxBytes),
    'metadata',
    findings,
  );
  return { ...found, metadataSlots, findings };
}

async function firstWhole<T>(
  offsets: readonly number[],
  read: (offset: number) => Promise<T>,
  what: string,
  findings: string[],
): Promise<T> {
  let whole: T | undefined;
  let failure: FormatError | undefined;
  for (const [i, offset] of offsets.entries()) {
    try {
      const value = await read(offset);
      whole ??= value;
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
      failure ??= error;
      findings.push(`The ${i === 0 ? 'first' : 'second'} copy of the ${what} is damaged (${error.message}).`);
    }
  }
  if (whole === undefined) throw failure!;
  return whole;
}

/** Whether a digest is right that was computed with its own field as zeros. */
function checksumIsRight(bytes: Uint8Array, at: number, length: number, field: number): boolean {
  // A copy whatever kind of array this is: Node's Buffer hands out a view from `slice`.
  const covered = new Uint8Array(bytes.subarray(at, at + length));
  const given = hex(covered.subarray(field, field + 32));
  covered.fill(0, field, field + 32);
  return hex(sha256(covered)) === given;
}

async function readGeometry(source: ByteSource, offset: number): Promise<Geometry> {
  const bytes = await readWithin(source, offset, geometryRoomBytes, format, 'geometry');
  const geometry = structures.geometry.read(bytes, 0, offset);
  const at = (field: Parameters<typeof structures.geometry.offsetOf>[0]) =>
    offset + structures.geometry.offsetOf(field);
  if (geometry.magic !== geometryMagic) throw bad('magic', offset, 'no "gDla" here');
  if (geometry.structBytes < structures.geometry.bytes || geometry.structBytes > geometryRoomBytes) {
    throw bad('structBytes', at('structBytes'), `${geometry.structBytes} bytes`);
  }
  if (!checksumIsRight(bytes, 0, geometry.structBytes, structures.geometry.offsetOf('checksum'))) {
    throw bad('checksum', at('checksum'), 'the checksum of the geometry is wrong');
  }
  const { metadataMaxBytes, metadataSlots } = geometry;
  if (metadataMaxBytes % sectorBytes !== 0 || metadataMaxBytes === 0) {
    throw bad('metadataMaxBytes', at('metadataMaxBytes'), `${metadataMaxBytes} bytes`);
  }
  if (metadataSlots === 0 || metadataSlots > 16) {
    throw bad('metadataSlots', at('metadataSlots'), `${metadataSlots} slots`);
  }
  return { metadataMaxBytes, metadataSlots };
}

async function readMetadata(source: ByteSource, offset: number, maxBytes: number) {
  const head = await readWithin(source, offset, Math.min(4096, maxBytes), format, 'header');
  const header = structures.header.read(head, 0, offset);
  const at = (field: Parameters<typeof structures.header.offsetOf>[0]) =>
    offset + structures.header.offsetOf(field);
  if (header.magic !== metadataMagic) throw bad('magic', offset, 'no "0PLA" here');
  if (header.majorVersion !== 10) throw bad('majorVersion', at('majorVersion'), `${header.majorVersion}`);
  if (header.headerBytes < structures.header.bytes || header.headerBytes > head.length) {
    throw bad('headerBytes', at('headerBytes'), `${header.headerBytes} bytes`);
  }
  if (!checksumIsRight(head, 0, header.headerBytes, structures.header.offsetOf('headerChecksum'))) {
    throw bad('headerChecksum', at('headerChecksum'), 'the checksum of the header is wrong');
  }
  if (header.headerBytes + header.tablesBytes > maxBytes) {
    throw bad('tablesBytes', at('tablesBytes'), `${header.tablesBytes} bytes in a slot of ${maxBytes}`);
  }
  const base = offset + header.headerBytes;
  const tables = await readWithin(source, base, header.tablesBytes, format, 'tablesBytes');
  if (hex(sha256(tables)) !== hex(header.tablesChecksum)) {
    throw bad('tablesChecksum', at('tablesChecksum'), 'the checksum of the tables is wrong');
  }
  const table = <T>(name: LpTable, entry: Layout<T>): T[] => {
    const start = header[`${name}Offset`];
    const count = header[`${name}Entries`];
    const entryBytes = header[`${name}EntryBytes`];
    if (entryBytes < entry.bytes || start + count * entryBytes > tables.length) {
      throw bad(
        `${name}Entries`,
        at(`${name}Entries`),
        `${count} of ${entryBytes} bytes at ${start} of ${tables.length}`,
      );
    }
    return Array.from({ length: count }, (_, i) => entry.read(tables, start + i * entryBytes, base));
  };
  const blockDevices = table('blockDevices', structures.blockDevice).map(({ partitionName, bytes }) => ({
    partition: partitionName,
    bytes: safeInteger(bytes, format, 'blockDevice.bytes', base),
  }));
  const groups = table('groups', structures.group).map(({ name, maximumBytes }) => ({
    name,
    maximumBytes: safeInteger(maximumBytes, format, 'group.maximumBytes', base),
  }));
  const extents = table('extents', structures.extent).map((extent) => readExtent(extent, blockDevices, base));
  const partitions = table('partitions', structures.partition).map((each): LogicalPartition => {
    const own = extents.slice(each.firstExtent, each.firstExtent + each.extents);
    const group = groups[each.group];
    if (own.length !== each.extents || !group) {
      throw bad('partition', base, `${each.name} names extents or a group that are not there`);
    }
    return {
      name: each.name,
      group: group.name,
      attributes: attributeNames.filter(([bit]) => (each.attributes & bit) !== 0).map(([, name]) => name),
      bytes: own.reduce((sum, { bytes }) => sum + bytes, 0),
      extents: own,
    };
  });
  return {
    version: `${header.majorVersion}.${header.minorVersion}`,
    partitions,
    groups,
    blockDevices,
  };
}

function readExtent(
  extent: ReturnType<typeof structures.extent.read>,
  devices: readonly { bytes: number }[],
  base: number,
): LogicalExtent {
  const size = (sectors: bigint, field: string) =>
    safeInteger(sectors * BigInt(sectorBytes), format, field, base);
  const bytes = size(extent.sectors, 'extent.sectors');
  if (extent.targetType === targetTypes.zero) return { target: 'zero', bytes, startBytes: 0, device: 0 };
  if (extent.targetType !== targetTypes.linear) {
    throw bad('extent.targetType', base, `${extent.targetType} is unknown`);
  }
  const startBytes = size(extent.targetData, 'extent.targetData');
  const device = devices[extent.targetSource];
  if (!device || startBytes + bytes > device.bytes) {
    throw bad(
      'extent.targetData',
      base,
      `bytes ${startBytes} to ${startBytes + bytes} lie outside the device`,
    );
  }
  return { target: 'linear', bytes, startBytes, device: extent.targetSource };
}

/** A logical partition as a source of its own. @param devices sources of the block devices, in their order */
export function logicalSource(partition: LogicalPartition, devices: readonly ByteSource[]): ByteSource {
  return {
    bytes: partition.bytes,
    async read(offset, length) {
      const out = new Uint8Array(length);
      let start = 0;
      for (const extent of partition.extents) {
        const from = Math.max(offset, start);
        const to = Math.min(offset + length, start + extent.bytes);
        if (from < to && extent.target === 'linear') {
          const device = devices[extent.device];
          if (!device) throw bad('blockDevice', 0, `block device ${extent.device} is not given`);
          const part = await readWithin(
            device,
            extent.startBytes + from - start,
            to - from,
            format,
            'extent',
          );
          out.set(part, from - offset);
        }
        start += extent.bytes;
      }
      return out;
    },
  };
}
