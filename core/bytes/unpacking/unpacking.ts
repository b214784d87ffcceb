import { Decompress } from 'fzstd';
import { FormatError } from '../format-error.ts';
import { inflateRaw } from '../inflate/inflate.ts';
import { unpackLz4 } from './lz4-block.ts';
import { unpackMicroLzma } from './micro-lzma.ts';
import { zstdFrame } from './zstd-frame.ts';

/** What file systems pack their blocks with. */
export type Packing = 'lz4' | 'zstd' | 'deflate' | 'microlzma' | 'lzo' | 'lzo-rle';

/**
 * Unpacks so much of a block that was packed by itself.
 * @param bytes how many come out; what it holds beyond them is left
 * @throws FormatError when it is damaged, holds less, or is packed by what is not read here
 */
export async function unpackBlock(packing: Packing, input: Uint8Array, bytes: number): Promise<Uint8Array> {
  const out = await unpackers[packing](input, bytes);
  if (out.length !== bytes) throw new FormatError(packing, 'data', 0, `${out.length} bytes of ${bytes}`);
  return out;
}

const unpackers: Readonly<
  Record<Packing, (input: Uint8Array, bytes: number) => Uint8Array | Promise<Uint8Array>>
> = {
  lz4(input, bytes) {
    const out = new Uint8Array(bytes);
    return out.subarray(0, unpackLz4(input, out, 0, true));
  },
  zstd: unpackZstd,
  deflate: async (input, bytes) => (await inflateRaw(input, largestCluster)).subarray(0, bytes),
  microlzma: unpackMicroLzma,
  lzo: notRead('lzo'),
  'lzo-rle': notRead('lzo-rle'),
};

/** No file system packs more at once (erofs, Z_EROFS_PCLUSTER_MAX_DSIZE). */
const largestCluster = 12 << 20;

function notRead(packing: Packing) {
  return (): never => {
    throw new FormatError(packing, 'data', 0, 'it is packed by LZO, which is not read');
  };
}

function unpackZstd(input: Uint8Array, bytes: number): Uint8Array {
  const frame = zstdFrame(input);
  if (frame.windowBytes > largestCluster)
    throw new FormatError('zstd', 'window', 0, `${frame.windowBytes} bytes, more than is packed together`);
  const out = new Uint8Array(bytes);
  let had = 0;
  const unpacker = new Decompress((part) => {
    const some = part.subarray(0, bytes - had);
    out.set(some, had);
    had += some.length;
  });
  try {
    unpacker.push(input.subarray(0, frame.bytes));
  } catch (error) {
    throw new FormatError('zstd', 'data', 0, (error as Error).message);
  }
  return out.subarray(0, had);
}
