import { randomBytes } from 'node:crypto';
import { ascii, layout, raw, u32 } from '@keen-larder/core/bytes/layout.ts';
import { gcmOpen, gcmSealParts, nonceBytes, tagBytes } from '../../sealing/aes-gcm.ts';
import { derivedKey } from '../../sealing/seal-key.ts';
import { headOf } from './pack-bytes.ts';
import {
  blockBytes,
  chunkBytes,
  codecs,
  recordHeader,
  recordMagic,
  type PackedChunk,
} from './pack-format.ts';

/** Stands before a record that is sealed; see docs/shelf-format.md. */
export const sealedHead = layout('sealed record', {
  magic: ascii(4), // "KLsr"
  closedBytes: u32, // of what follows, its tag included
  salt: raw(32), // of the record's own key
});
export const sealedMagic = 'KLsr';
/** What a sealed record has more than the bytes of its chunk as they would be stored. */
export const sealedOverhead = sealedHead.bytes + recordHeader.bytes + tagBytes;
/** No chunk takes more, sealed or not. */
export const mostStoredBytes = chunkBytes + sealedOverhead;
/** Nor do the chunks of a block. */
export const storedBlockBytes = (blockBytes / chunkBytes) * mostStoredBytes;

const purpose = 'keen-larder record';
/** Every record has a key of its own, with which one thing is sealed. */
const nonce = Buffer.alloc(nonceBytes);

/**
 * A chunk as a sealed shelf stores it: the whole record, whose name and sizes cannot be read either.
 * @param master 32 bytes
 */
export const sealRecord = (master: Uint8Array, chunk: PackedChunk): PackedChunk => ({
  ...chunk,
  codec: codecs.sealed,
  stored: Buffer.concat(sealedParts(master, chunk)),
});

/** As `sealRecord`, in pieces one behind the other: large ones are not to be put together more often than needed. */
export function sealedParts(master: Uint8Array, chunk: PackedChunk): Uint8Array[] {
  const salt = randomBytes(32);
  const header = headOf(chunk);
  const head = new Uint8Array(sealedHead.bytes);
  const closedBytes = header.length + chunk.stored.length + tagBytes;
  sealedHead.write(head, 0, { magic: sealedMagic, closedBytes, salt });
  const key = derivedKey(master, salt, purpose);
  return [head, ...gcmSealParts(key, nonce, head, [header, chunk.stored])];
}

/**
 * The chunk in a sealed record.
 * @param memory into which it is opened, with room for `mostStoredBytes`; left out for memory of its own
 * @returns undefined where it is not as it was sealed, or was sealed with another key
 */
export function openRecord(master: Uint8Array, record: Uint8Array, memory?: Buffer): PackedChunk | undefined {
  if (record.length < sealedOverhead) return undefined;
  const { magic, closedBytes, salt } = sealedHead.read(record, 0);
  const closed = record.subarray(sealedHead.bytes);
  if (magic !== sealedMagic || closedBytes !== closed.length) return undefined;
  const bound = record.subarray(0, sealedHead.bytes);
  const plain = gcmOpen(derivedKey(master, salt, purpose), nonce, bound, closed, memory);
  if (!plain) return undefined;
  const header = recordHeader.read(plain, 0);
  const stored = plain.subarray(recordHeader.bytes);
  if (header.magic !== recordMagic || header.storedBytes !== stored.length) return undefined;
  const { codec, plainBytes } = header;
  return { digest: Buffer.from(header.digest), codec, stored, plainBytes };
}
