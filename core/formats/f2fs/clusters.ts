import { FormatError } from '../../bytes/format-error.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { unpackBlock } from '../../bytes/unpacking/unpacking.ts';
import type { Compression, F2fsInode } from './inode.ts';
import { viewOf } from '../../bytes/layout.ts';
import { blockBytes, compressedAddress, newAddress, nullAddress } from './layouts.ts';

const headBytes = 24; // length u32, checksum u32, four reserved words
const keptClusters = 4;

/**
 * A compressed file as a source: each cluster is unpacked when some of it is asked for (fs/f2fs/compress.c).
 * @param addresses of its blocks, whole clusters of them
 */
export function clusterSource(
  source: ByteSource,
  file: F2fsInode,
  { algorithm, clusterBlocks }: Compression,
  addresses: Uint32Array,
  { first, end }: { readonly first: number; readonly end: number },
): ByteSource {
  const clusterBytes = clusterBlocks * blockBytes;
  const bad = (reason: string) =>
    new FormatError('f2fs', 'i_addr', file.offset, `inode ${file.number}: ${reason}`);
  const block = (address: number) => {
    if (address < first || address >= end) throw bad(`block ${address} lies outside`);
    return readWithin(source, address * blockBytes, blockBytes, 'f2fs', 'i_addr');
  };

  const plain = async (places: Uint32Array): Promise<Uint8Array> => {
    const out = new Uint8Array(clusterBytes);
    for (const [i, address] of places.entries()) {
      if (address !== nullAddress && address !== newAddress) out.set(await block(address), i * blockBytes);
    }
    return out;
  };

  const packed = async (places: Uint32Array, index: number): Promise<Uint8Array> => {
    const holding = Array.from(places.subarray(1)).filter(
      (address) => address !== nullAddress && address !== newAddress,
    );
    const bytes = new Uint8Array(holding.length * blockBytes);
    for (const [i, address] of holding.entries()) bytes.set(await block(address), i * blockBytes);
    if (bytes.length < headBytes) throw bad(`cluster ${index} has nothing to unpack`);
    const length = viewOf(bytes).getUint32(0, true);
    if (length > bytes.length - headBytes) throw bad(`cluster ${index}: ${length} bytes in ${bytes.length}`);
    try {
      return await unpackBlock(algorithm, bytes.subarray(headBytes, headBytes + length), clusterBytes);
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
      throw bad(`cluster ${index} does not unpack: ${error.reason}`);
    }
  };

  const kept = new Map<number, Promise<Uint8Array>>();
  const cluster = (index: number): Promise<Uint8Array> => {
    const known = kept.get(index);
    if (known) return known;
    const places = addresses.subarray(index * clusterBlocks, (index + 1) * clusterBlocks);
    const made = places[0] === compressedAddress ? packed(places, index) : plain(places);
    kept.set(index, made);
    made.catch(() => kept.delete(index));
    if (kept.size > keptClusters) kept.delete(kept.keys().next().value!);
    return made;
  };

  return {
    bytes: file.bytes,
    async read(offset, length) {
      const out = new Uint8Array(Math.max(0, Math.min(length, file.bytes - offset)));
      for (let done = 0; done < out.length;) {
        const at = offset + done;
        const within = at % clusterBytes;
        const bytes = await cluster(Math.floor(at / clusterBytes));
        const part = bytes.subarray(within, within + out.length - done);
        out.set(part, done);
        done += part.length;
      }
      return out;
    },
  };
}
