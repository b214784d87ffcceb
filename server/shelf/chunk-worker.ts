/** Runs in the worker pool: names and compresses the chunks of a block, and unpacks stored ones. */
import { Compressor, Decompressor } from 'zstd-napi';
import { chunkDigest } from './digest.ts';
import { chunkBytes, codecs } from './pack-format.ts';

const compressor = new Compressor();
// Level 1 gives up on incompressible bytes three times as fast as level 3, and packs the rest as well.
compressor.setParameters({ compressionLevel: 1 });
const decompressor = new Decompressor();
const zeros = Buffer.alloc(chunkBytes);

/** A block of plain bytes in memory shared with the caller. */
export interface Block {
  readonly memory: SharedArrayBuffer;
  readonly bytes: number;
}

/** Each chunk's digest, or undefined where all its bytes are zero. */
export function nameChunks({ memory, bytes }: Block): (Uint8Array | undefined)[] {
  const names: (Uint8Array | undefined)[] = [];
  for (let at = 0; at < bytes; at += chunkBytes) {
    const chunk = Buffer.from(memory, at, Math.min(chunkBytes, bytes - at));
    names.push(chunk.equals(zeros.subarray(0, chunk.length)) ? undefined : chunkDigest(chunk));
  }
  return names;
}

/** Where a chunk's stored bytes lie in the memory given for them. */
export interface Packed {
  readonly codec: number;
  readonly offset: number;
  readonly bytes: number;
}

/**
 * Compresses the chunks at the given places of a block into `output`, one behind the other; a chunk
 * that compression does not make smaller is left where it is, with `codecs.plain`.
 */
export function packChunks({
  memory,
  bytes,
  wanted,
  output,
}: Block & { wanted: readonly number[]; output: SharedArrayBuffer }): Packed[] {
  const room = Buffer.from(output);
  let filled = 0;
  return wanted.map((index) => {
    const at = index * chunkBytes;
    const plain = Buffer.from(memory, at, Math.min(chunkBytes, bytes - at));
    const packed = compressor.compress(plain);
    if (packed.length >= plain.length) return { codec: codecs.plain, offset: at, bytes: plain.length };
    packed.copy(room, filled);
    const offset = filled;
    filled += packed.length;
    return { codec: codecs.zstd, offset, bytes: packed.length };
  });
}

export interface Stored {
  readonly digest: Uint8Array;
  readonly codec: number;
  readonly stored: Uint8Array;
  readonly plainBytes: number;
}

/** Unpacks a stored chunk and checks it against its name; says what is wrong instead of throwing. */
export function unpackChunk({ digest, codec, stored, plainBytes }: Stored): Uint8Array | string {
  let plain: Uint8Array;
  if (codec === codecs.plain) plain = stored;
  else if (codec === codecs.zstd) {
    try {
      plain = decompressor.decompress(Buffer.from(stored.buffer, stored.byteOffset, stored.byteLength));
    } catch (error) {
      return `does not unpack (${(error as Error).message})`;
    }
  } else return `has the unknown codec ${codec}`;
  if (plain.length !== plainBytes) return `has ${plain.length} bytes instead of ${plainBytes}`;
  return chunkDigest(plain).equals(digest) ? plain : 'does not match its digest';
}
