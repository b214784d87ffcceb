import { BinaryReader } from '@bufbuild/protobuf/wire';
import { FormatError } from '../../bytes/format-error.ts';

// Numbers and names of fields as AOSP publishes them: system/update_engine, update_metadata.proto.

const format = 'update payload';

export const operationTypes = [
  'replace',
  'replace bz2',
  'move',
  'bsdiff',
  'source copy',
  'source bsdiff',
  'zero',
  'discard',
  'replace xz',
  'puffdiff',
  'brotli bsdiff',
  'zucchini',
  'lz4diff bsdiff',
  'lz4diff puffdiff',
  'replace zstd',
] as const;
export type OperationType = (typeof operationTypes)[number];

/** What an update needs nothing of what is installed for. */
export const fullOperations = [
  'replace',
  'replace bz2',
  'replace xz',
  'replace zstd',
  'zero',
  'discard',
] as const;

/** Blocks of a partition. */
export interface BlockExtent {
  readonly start: number;
  readonly count: number;
}

export interface Operation {
  /** Undefined where it is of a kind that is newer than this. */
  readonly type: OperationType | undefined;
  readonly dataOffset: number;
  readonly dataBytes: number;
  readonly to: readonly BlockExtent[];
  /** SHA-256 of its data; empty where none is given. */
  readonly sha256: Uint8Array;
}

export interface PartitionUpdate {
  readonly name: string;
  readonly bytes: number;
  /** SHA-256 of all of it once it is written. */
  readonly sha256: Uint8Array;
  /** It is made from what is installed. */
  readonly needsOld: boolean;
  readonly operations: readonly Operation[];
}

export interface Manifest {
  readonly blockBytes: number;
  readonly minorVersion: number;
  readonly partitions: readonly PartitionUpdate[];
  readonly signaturesOffset: number | undefined;
  readonly signaturesBytes: number | undefined;
  /** Seconds since 1970 of the newest thing in it. */
  readonly madeAt: number | undefined;
  readonly isPartial: boolean;
  readonly patchLevel: string | undefined;
}

/** More of either than any real update has. */
const mostPartitions = 512;
const mostOperations = 2_000_000;

/** What a message says of one of its fields. */
type Fields = Readonly<Record<number, (reader: BinaryReader) => void>>;

/** Reads a message: fields that are known here are handed over, others passed over. */
function read(bytes: Uint8Array, fields: Fields): void {
  const reader = new BinaryReader(bytes);
  try {
    while (reader.pos < reader.len) {
      const [field, wire] = reader.tag();
      const known = fields[field];
      if (known && wire !== 3 && wire !== 4) known(reader);
      else reader.skip(wire, field);
    }
  } catch (error) {
    if (error instanceof FormatError) throw error;
    throw new FormatError(format, 'manifest', 0, (error as Error).message);
  }
}

function whole(reader: BinaryReader): number {
  const value = Number(reader.uint64());
  if (!Number.isSafeInteger(value)) throw new FormatError(format, 'manifest', 0, `a number of ${value}`);
  return value;
}

/** @throws FormatError where it is damaged, or says what no update says */
export function readManifest(bytes: Uint8Array): Manifest {
  let blockBytes = 4096;
  let minorVersion = 0;
  let signaturesOffset: number | undefined;
  let signaturesBytes: number | undefined;
  let madeAt: number | undefined;
  let isPartial = false;
  let patchLevel: string | undefined;
  const partitions: PartitionUpdate[] = [];
  read(bytes, {
    3: (r) => (blockBytes = r.uint32()),
    4: (r) => (signaturesOffset = whole(r)),
    5: (r) => (signaturesBytes = whole(r)),
    12: (r) => (minorVersion = r.uint32()),
    13: (r) => {
      if (partitions.length >= mostPartitions)
        throw new FormatError(format, 'partitions', 0, `more than ${mostPartitions}`);
      partitions.push(readPartition(r.bytes()));
    },
    14: (r) => (madeAt = Number(r.int64())),
    16: (r) => (isPartial = r.bool()),
    18: (r) => (patchLevel = r.string()),
  });
  if (blockBytes < 512 || blockBytes > 65_536 || blockBytes % 512)
    throw new FormatError(format, 'block_size', 0, `${blockBytes}`);
  const names = new Set(partitions.map(({ name }) => name));
  if (names.size < partitions.length)
    throw new FormatError(format, 'partition_name', 0, 'a partition stands there twice');
  return {
    blockBytes,
    minorVersion,
    partitions,
    signaturesOffset,
    signaturesBytes,
    madeAt,
    isPartial,
    patchLevel,
  };
}

function readPartition(bytes: Uint8Array): PartitionUpdate {
  let name = '';
  let size = 0;
  let sha256: Uint8Array = new Uint8Array(0);
  let needsOld = false;
  const operations: Operation[] = [];
  read(bytes, {
    1: (r) => (name = r.string()),
    6: (r) => {
      r.bytes();
      needsOld = true;
    },
    7: (r) =>
      read(r.bytes(), {
        1: (info) => (size = whole(info)),
        2: (info) => (sha256 = info.bytes().slice()),
      }),
    8: (r) => {
      if (operations.length >= mostOperations)
        throw new FormatError(format, 'operations', 0, `more than ${mostOperations}`);
      operations.push(readOperation(r.bytes()));
    },
  });
  if (!/^[\w.-]{1,64}$/.test(name) || /^\.+$/.test(name))
    throw new FormatError(format, 'partition_name', 0, `“${name}”`);
  return { name, bytes: size, sha256, needsOld, operations };
}

function readOperation(bytes: Uint8Array): Operation {
  let type = 0;
  let dataOffset = 0;
  let dataBytes = 0;
  const to: BlockExtent[] = [];
  let sha256: Uint8Array = new Uint8Array(0);
  read(bytes, {
    1: (r) => (type = r.int32()),
    2: (r) => (dataOffset = whole(r)),
    3: (r) => (dataBytes = whole(r)),
    6: (r) => {
      let start = 0;
      let count = 0;
      read(r.bytes(), { 1: (extent) => (start = whole(extent)), 2: (extent) => (count = whole(extent)) });
      to.push({ start, count });
    },
    8: (r) => (sha256 = r.bytes().slice()),
  });
  return { type: operationTypes[type], dataOffset, dataBytes, to, sha256 };
}

/** The signatures at the end of metadata or payload: as many as it has keys for. */
export function readSignatures(bytes: Uint8Array): Uint8Array[] {
  const found: Uint8Array[] = [];
  read(bytes, {
    1: (r) => {
      let data: Uint8Array = new Uint8Array(0);
      let unpadded: number | undefined;
      read(r.bytes(), { 2: (s) => (data = s.bytes()), 3: (s) => (unpadded = s.fixed32()) });
      found.push(data.slice(0, unpadded ?? data.length));
    },
  });
  return found;
}
