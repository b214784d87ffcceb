import { createHash } from 'node:crypto';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { PartitionUpdate } from '@keen-larder/core/formats/update-payload/manifest.ts';
import { piecesOf, type Payload } from '@keen-larder/core/formats/update-payload/payload.ts';
import { OperationOutputs } from './operations.ts';

const pieceBytes = 1 << 20;

/**
 * A partition that an update holds in full, from its first byte to its last. Each operation's data are held against their
 * digest, and all of it against the partition's.
 * @throws FormatError from the stream
 */
export async function* payloadImage(
  source: ByteSource,
  { manifest, dataAt }: Payload,
  partition: PartitionUpdate,
): AsyncGenerator<Uint8Array> {
  const { blockBytes } = manifest;
  const { name, sha256 } = partition;
  const hash = sha256.length > 0 ? createHash('sha256') : undefined;
  const zeros = new Uint8Array(pieceBytes);
  const pieces = piecesOf(partition, blockBytes);
  const writing = new Set(pieces.flatMap(({ from }) => (from ? [from.operation] : [])));
  const outputs = new OperationOutputs(source, dataAt, blockBytes, name, writing);
  for (const { bytes, from } of pieces) {
    const whole = from && (await outputs.of(from.operation));
    for (let done = 0; done < bytes; done += pieceBytes) {
      const length = Math.min(pieceBytes, bytes - done);
      const part = whole
        ? whole.subarray(from.offset + done, from.offset + done + length)
        : zeros.subarray(0, length);
      hash?.update(part);
      yield part;
    }
  }
  if (hash && !hash.digest().equals(sha256))
    throw new FormatError('update payload', 'new_partition_info', 0, `${name} does not match its SHA-256`);
}
