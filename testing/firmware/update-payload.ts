import { execFileSync } from 'node:child_process';
import { createHash, createSign } from 'node:crypto';
import protobuf from 'protobufjs';

// An update payload made by a library of its own from the published schema (AOSP, system/update_engine, update_metadata.proto,
// as far as a full update needs it), packed by the commands bzip2, xz and zstd.

const schema = `
syntax = "proto2";
message Extent { optional uint64 start_block = 1; optional uint64 num_blocks = 2; }
message Signatures {
  message Signature {
    optional uint32 version = 1 [deprecated = true];
    optional bytes data = 2;
    optional fixed32 unpadded_signature_size = 3;
  }
  repeated Signature signatures = 1;
}
message PartitionInfo { optional uint64 size = 1; optional bytes hash = 2; }
message InstallOperation {
  enum Type {
    REPLACE = 0; REPLACE_BZ = 1; MOVE = 2; BSDIFF = 3; SOURCE_COPY = 4; SOURCE_BSDIFF = 5; ZERO = 6; DISCARD = 7;
    REPLACE_XZ = 8; PUFFDIFF = 9; BROTLI_BSDIFF = 10; ZUCCHINI = 11; LZ4DIFF_BSDIFF = 12; LZ4DIFF_PUFFDIFF = 13;
    REPLACE_ZSTD = 14;
  }
  required Type type = 1;
  optional uint64 data_offset = 2;
  optional uint64 data_length = 3;
  repeated Extent src_extents = 4;
  optional uint64 src_length = 5;
  repeated Extent dst_extents = 6;
  optional uint64 dst_length = 7;
  optional bytes data_sha256_hash = 8;
  optional bytes src_sha256_hash = 9;
}
message PartitionUpdate {
  required string partition_name = 1;
  optional bool run_postinstall = 2;
  optional PartitionInfo old_partition_info = 6;
  optional PartitionInfo new_partition_info = 7;
  repeated InstallOperation operations = 8;
}
message DynamicPartitionGroup { required string name = 1; optional uint64 size = 2; repeated string partition_names = 3; }
message DynamicPartitionMetadata { repeated DynamicPartitionGroup groups = 1; optional bool snapshot_enabled = 2; }
message DeltaArchiveManifest {
  optional uint32 block_size = 3 [default = 4096];
  optional uint64 signatures_offset = 4;
  optional uint64 signatures_size = 5;
  optional uint32 minor_version = 12 [default = 0];
  repeated PartitionUpdate partitions = 13;
  optional int64 max_timestamp = 14;
  optional DynamicPartitionMetadata dynamic_partition_metadata = 15;
  optional bool partial_update = 16;
  optional string security_patch_level = 18;
}`;

const types = protobuf.parse(schema, { keepCase: true }).root;
const manifestType = types.lookupType('DeltaArchiveManifest');
const signaturesType = types.lookupType('Signatures');

const pack =
  (command: string, ...args: string[]) =>
  (bytes: Uint8Array) =>
    execFileSync(command, args, { input: bytes, maxBuffer: 1 << 27 });

const kinds = {
  REPLACE: (bytes: Uint8Array) => Buffer.from(bytes),
  REPLACE_BZ: pack('bzip2', '-c'),
  REPLACE_XZ: pack('xz', '-c', '--check=crc32'),
  REPLACE_ZSTD: pack('zstd', '-q', '-c'),
} as const;
export type PackedKind = keyof typeof kinds;

export interface NewPayload {
  readonly partitions: Readonly<Record<string, Uint8Array>>;
  /** Which operations are used, in turns. */
  readonly packedBy?: readonly PackedKind[];
  /** Bytes that one operation writes. */
  readonly operationBytes?: number;
  /** Operations stand in no order, and some write in two places. */
  readonly scattered?: boolean;
  /** As PEM. */
  readonly key?: string;
  /** What the manifest says besides. */
  readonly manifest?: object;
  /** Changes the description of a partition before it is written. */
  readonly change?: (partition: Record<string, unknown>) => void;
}

const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest();

/** A payload file. */
export function makePayload(order: NewPayload): Buffer {
  const { packedBy = ['REPLACE_XZ'], operationBytes = 2 << 20, scattered = false } = order;
  const blobs: Buffer[] = [];
  let dataBytes = 0;
  let turn = 0;
  const operation = (bytes: Uint8Array, extents: object[]) => {
    if (bytes.every((byte) => byte === 0))
      return { type: turn++ % 2 ? 'ZERO' : 'DISCARD', dst_extents: extents };
    const type = packedBy[turn++ % packedBy.length]!;
    const blob = kinds[type](bytes);
    const made = {
      type,
      data_offset: dataBytes,
      data_length: blob.length,
      dst_extents: extents,
      data_sha256_hash: sha256(blob),
    };
    blobs.push(blob);
    dataBytes += blob.length;
    return made;
  };
  const partitions = Object.entries(order.partitions).map(([name, content]) => {
    const operations: object[] = [];
    const blocks = operationBytes / 4096;
    if (scattered) {
      // The first and the last piece are written by one operation, the others last to first.
      const count = Math.ceil(content.length / operationBytes);
      const piece = (i: number) => content.subarray(i * operationBytes, (i + 1) * operationBytes);
      const extent = (i: number) => ({ start_block: i * blocks, num_blocks: piece(i).length / 4096 });
      const last = count - 1;
      operations.push(operation(Buffer.concat([piece(0), piece(last)]), [extent(0), extent(last)]));
      for (let i = last - 1; i >= 1; i--) operations.push(operation(piece(i), [extent(i)]));
    } else {
      for (let at = 0; at < content.length; at += operationBytes) {
        const part = content.subarray(at, at + operationBytes);
        operations.push(operation(part, [{ start_block: at / 4096, num_blocks: part.length / 4096 }]));
      }
    }
    const partition: Record<string, unknown> = {
      partition_name: name,
      new_partition_info: { size: content.length, hash: sha256(content) },
      operations,
    };
    order.change?.(partition);
    return partition;
  });
  const signatureOf = (bytes: Uint8Array) => {
    const data = createSign('sha256').update(bytes).sign(order.key!);
    return signaturesType.encode(signaturesType.fromObject({ signatures: [{ data }] })).finish();
  };
  const signatureBytes = order.key ? signatureOf(new Uint8Array(0)).length : 0;
  const manifest = manifestType
    .encode(
      manifestType.fromObject({
        block_size: 4096,
        minor_version: 0,
        ...(order.key && { signatures_offset: dataBytes, signatures_size: signatureBytes }),
        partitions,
        ...order.manifest,
      }),
    )
    .finish();
  const head = Buffer.alloc(24);
  head.write('CrAU');
  head.writeBigUInt64BE(2n, 4);
  head.writeBigUInt64BE(BigInt(manifest.length), 12);
  head.writeUInt32BE(signatureBytes, 20);
  const metadata = Buffer.concat([head, manifest]);
  const data = Buffer.concat(blobs);
  if (!order.key) return Buffer.concat([metadata, data]);
  return Buffer.concat([metadata, signatureOf(metadata), data, signatureOf(Buffer.concat([metadata, data]))]);
}
