/** Runs in the worker pool: compresses the chunks of a block, and unpacks and checks stored ones. */
import { createHash } from 'node:crypto';
import zstd from 'zstd-napi/binding.js';
import { copyToShared } from './block-pool.ts';
import { chunkBytes, codecs } from '../packs/pack-format.ts';
import { sealedParts } from '../packs/sealed-record.ts';

import { unpackChunk } from '../packs/unpack-chunk.ts';

export { checkPack } from '../packs/pack-check.ts';

// The binding itself rather than its wrapper: it writes into memory that is used again and again.
const compressor = new zstd.CCtx();
// Level 1 gives up on incompressible bytes soonest, and packs the rest as well.
compressor.setParameter(zstd.CParameter.compressionLevel, 1);
const scratch = Buffer.alloc(zstd.compressBound(chunkBytes));

/** A block of plain bytes in memory shared with the caller. */
export interface Block {
  readonly memory: SharedArrayBuffer;
  readonly bytes: number;
}

/** How a sealed shelf stores chunks. */
export interface Sealing {
  readonly key: Uint8Array;
  /** Of the chunks that are wanted, in order; 32 bytes each. */
  readonly names: readonly Uint8Array[];
}

/** Where a chunk's stored bytes lie in the memory given for them. */
export interface Packed {
  readonly codec: number;
  readonly offset: number;
  readonly bytes: number;
}

/**
 * Compresses the chunks at the given places of a block into `output`, one behind the other; a chunk
 * that compression does not make smaller is left where it is, with `codecs.plain`. With a seal, whole records are
 * sealed there.
 */
export function packChunks({
  memory,
  bytes,
  wanted,
  output,
  seal,
}: Block & { wanted: readonly number[]; output: SharedArrayBuffer; seal?: Sealing }): Packed[] {
  let filled = 0;
  return wanted.map((index, i) => {
    const at = index * chunkBytes;
    const plain = Buffer.from(memory, at, Math.min(chunkBytes, bytes - at));
    const packedBytes = compressor.compress2(scratch, plain);
    const isSmaller = packedBytes < plain.length;
    const codec = isSmaller ? codecs.zstd : codecs.plain;
    const put = (parts: readonly Uint8Array[], codec: number): Packed => {
      const offset = filled;
      for (const part of parts) {
        copyToShared(output, filled, part);
        filled += part.length;
      }
      return { codec, offset, bytes: filled - offset };
    };
    const stored = isSmaller ? scratch.subarray(0, packedBytes) : plain;
    if (seal) {
      const chunk = { digest: Buffer.from(seal.names[i]!), codec, stored, plainBytes: plain.length };
      return put(sealedParts(seal.key, chunk), codecs.sealed);
    }
    return isSmaller ? put([stored], codec) : { codec, offset: at, bytes: plain.length };
  });
}

/** Digests of each piece of a block, in lower-case hexadecimal. */
export function digestPieces({
  memory,
  bytes,
  pieceBytes,
  by,
}: Block & { pieceBytes: number; by: 'sha256' | 'md5' }): string[] {
  const digests: string[] = [];
  for (let at = 0; at < bytes; at += pieceBytes) {
    const piece = Buffer.from(memory, at, Math.min(pieceBytes, bytes - at));
    digests.push(createHash(by).update(piece).digest('hex'));
  }
  return digests;
}

/** A stored chunk, where it lies in the memory given, and where its plain bytes are to go: there it lies when plain. */
export interface Stored extends Packed {
  readonly digest: Uint8Array;
  readonly plainOffset: number;
  readonly plainBytes: number;
}

/** What is wrong with one of the stored chunks that were to be unpacked. */
export interface ChunkFault {
  /** Position in the list given. */
  readonly index: number;
  readonly what: string;
}

/** Unpacks stored chunks from `input` and checks each against its name; says what is wrong instead of throwing. */
export function unpackChunks({
  input,
  output,
  chunks,
  key,
}: {
  readonly input: SharedArrayBuffer;
  readonly output: SharedArrayBuffer;
  readonly chunks: readonly Stored[];
  readonly key?: Uint8Array;
}): ChunkFault | undefined {
  for (const [index, chunk] of chunks.entries()) {
    const { offset, bytes, plainOffset, plainBytes } = chunk;
    const plain = Buffer.from(output, plainOffset, plainBytes);
    const stored =
      chunk.codec === codecs.plain ? plain.subarray(0, bytes) : Buffer.from(input, offset, bytes);
    const what = unpackChunk(stored, chunk, plain, key);
    if (what) return { index, what };
  }
  return undefined;
}
