import zstd from 'zstd-napi/binding.js';
import { chunkDigest } from '../threads/digest.ts';
import { chunkBytes, codecs } from './pack-format.ts';
import { mostStoredBytes, openRecord } from './sealed-record.ts';

// The binding itself rather than its wrapper: it writes into memory that is used again and again.
const decompressor = new zstd.DCtx();
/** For what is sealed, one chunk after the other. */
let opened: Buffer | undefined;

/**
 * Unpacks a chunk and checks it against its name; returns what is wrong with it instead of throwing.
 * @param plain where its bytes go; there they lie already when it is stored plain
 * @param key of a shelf that is sealed
 */
export function unpackChunk(
  stored: Buffer,
  {
    codec,
    digest,
    plainBytes,
  }: { readonly codec: number; readonly digest: Uint8Array; readonly plainBytes: number },
  plain: Buffer = codec === codecs.plain ? stored : Buffer.alloc(plainBytes),
  key?: Uint8Array,
): string | undefined {
  if (codec === codecs.sealed) {
    const chunk = key && openRecord(key, stored, (opened ??= Buffer.allocUnsafeSlow(mostStoredBytes)));
    if (!chunk) return 'is not as it was sealed';
    const inner = Buffer.from(chunk.stored.buffer, chunk.stored.byteOffset, chunk.stored.length);
    const isPlain = chunk.codec === codecs.plain;
    const fault = unpackChunk(inner, { codec: chunk.codec, digest, plainBytes }, isPlain ? inner : plain);
    // As in `copyToShared`.
    if (isPlain && !fault) plain.fill(inner);
    return fault;
  }
  let unpacked = stored.length;
  if (codec === codecs.zstd) {
    try {
      unpacked = decompressor.decompress(plain, stored);
    } catch (error) {
      return `does not unpack (${(error as Error).message})`;
    }
  } else if (codec !== codecs.plain) return `has the unknown codec ${codec}`;
  if (unpacked !== plain.length || unpacked !== plainBytes)
    return `has ${unpacked} bytes instead of ${plainBytes}`;
  return chunkDigest(plain).equals(digest) ? undefined : 'does not match its digest';
}

/** For chunks that are only checked, one after the other. */
let checked: Buffer | undefined;

/** As `unpackChunk`, of a chunk whose bytes are not wanted. */
export function checkChunk(
  stored: Buffer,
  chunk: { readonly codec: number; readonly digest: Uint8Array; readonly plainBytes: number },
): string | undefined {
  if (chunk.codec === codecs.plain || chunk.plainBytes > chunkBytes) return unpackChunk(stored, chunk);
  checked ??= Buffer.allocUnsafeSlow(chunkBytes);
  return unpackChunk(stored, chunk, checked.subarray(0, chunk.plainBytes));
}
