import { FormatError } from '../../bytes/format-error.ts';
import { layout, raw, safeInteger, u32be, u64be } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { readUtf8 } from '../../bytes/text.ts';
import {
  fullOperations,
  readManifest,
  type Manifest,
  type Operation,
  type PartitionUpdate,
} from './manifest.ts';

// AOSP, system/update_engine, README ("Update Payload File Specification"), big endian.

export const payloadMagic = 'CrAU';
const format = 'update payload';

const header = layout(format, {
  magic: raw(4),
  version: u64be,
  manifestBytes: u64be,
  metadataSignatureBytes: u32be,
});

export const looksLikePayload = (head: Uint8Array): boolean =>
  readUtf8(head.subarray(0, payloadMagic.length)) === payloadMagic;

/** Of real ones the largest are a few megabytes. */
const mostManifestBytes = 256 << 20;

export interface Payload {
  readonly manifest: Manifest;
  /** Head and manifest, which the first signature is over. */
  readonly metadataBytes: number;
  readonly metadataSignature: { readonly offset: number; readonly bytes: number };
  /** Where the data of operations begin. */
  readonly dataAt: number;
}

/** @throws FormatError when it is none, is damaged, or ends before its data do */
export async function readPayload(source: ByteSource): Promise<Payload> {
  const h = header.read(await readWithin(source, 0, header.bytes, format, 'header'));
  const bad = (field: Parameters<typeof header.offsetOf>[0], reason: string) =>
    new FormatError(format, field, header.offsetOf(field), reason);
  if (readUtf8(h.magic) !== payloadMagic) throw bad('magic', 'it does not begin as one');
  if (h.version !== 2n) throw bad('version', `version ${h.version} is not read here`);
  const manifestBytes = safeInteger(h.manifestBytes, format, 'manifestBytes', 12);
  if (manifestBytes > mostManifestBytes) throw bad('manifestBytes', `${manifestBytes}`);
  const bytes = await readWithin(source, header.bytes, manifestBytes, format, 'manifest');
  const manifest = readManifest(bytes);
  const metadataBytes = header.bytes + manifestBytes;
  const dataAt = metadataBytes + h.metadataSignatureBytes;
  for (const partition of manifest.partitions)
    requireSound(partition, manifest.blockBytes, source.bytes - dataAt);
  return {
    manifest,
    metadataBytes,
    metadataSignature: { offset: metadataBytes, bytes: h.metadataSignatureBytes },
    dataAt,
  };
}

function requireSound(partition: PartitionUpdate, blockBytes: number, dataBytes: number): void {
  const { name, bytes, operations } = partition;
  const bad = (field: string, reason: string) => new FormatError(format, field, 0, `${name}: ${reason}`);
  for (const { to, dataOffset, dataBytes: length } of operations) {
    if (dataOffset + length > dataBytes)
      throw bad(
        'data_offset',
        `the file ends before its data do (${dataOffset + length} bytes of ${dataBytes})`,
      );
    for (const { start, count } of to)
      if ((start + count) * blockBytes > Math.ceil(bytes / blockBytes) * blockBytes)
        throw bad('dst_extents', `block ${start + count} lies behind its end`);
  }
}

/** Why a partition of an update cannot be put together without what is installed; undefined when it can. */
export function incrementalReason({ name, needsOld, operations }: PartitionUpdate): string | undefined {
  const known: readonly (string | undefined)[] = fullOperations;
  const other = operations.find(({ type }) => !known.includes(type));
  if (other)
    return other.type === undefined
      ? `${name} is packed in a way that is newer than this program.`
      : `${name} is made from what the phone has installed (${other.type}): this is an incremental update. Bring the full one.`;
  return needsOld && operations.length === 0
    ? `${name} stays as it is: this is an incremental update. Bring the full one.`
    : undefined;
}

/** A piece of a partition in its order: bytes of what an operation makes, or zeros. */
export interface Piece {
  readonly at: number;
  readonly bytes: number;
  readonly from: { readonly operation: Operation; readonly offset: number } | undefined;
}

/**
 * What a partition is put together from, from its first byte to its last.
 * @throws FormatError where two operations write the same, or nothing writes something
 */
export function piecesOf({ name, bytes, operations }: PartitionUpdate, blockBytes: number): Piece[] {
  const pieces: Piece[] = [];
  for (const operation of operations) {
    let offset = 0;
    const isEmpty = operation.type === 'zero' || operation.type === 'discard';
    for (const { start, count } of operation.to) {
      const at = start * blockBytes;
      const length = Math.min(count * blockBytes, bytes - at);
      if (length > 0) pieces.push({ at, bytes: length, from: isEmpty ? undefined : { operation, offset } });
      offset += count * blockBytes;
    }
  }
  pieces.sort((a, b) => a.at - b.at);
  let end = 0;
  for (const { at, bytes: length } of pieces) {
    if (at !== end)
      throw new FormatError(
        format,
        'dst_extents',
        0,
        at < end
          ? `${name}: byte ${at} is written twice`
          : `${name}: nothing writes bytes ${end} to ${at - 1}`,
      );
    end = at + length;
  }
  if (end !== bytes)
    throw new FormatError(format, 'dst_extents', 0, `${name}: nothing writes bytes ${end} to ${bytes - 1}`);
  return pieces;
}
