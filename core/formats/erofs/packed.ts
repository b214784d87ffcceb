import { FormatError } from '../../bytes/format-error.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { unpackBlock } from '../../bytes/unpacking/unpacking.ts';
import type { PackedExtent } from './clusters.ts';
import type { ErofsInode } from './inode.ts';
import type { ErofsSuperblock } from './superblock.ts';

/** Extents of a file that stay unpacked for what is read next. */
const keptExtents = 4;

/**
 * A packed file as a source: an extent is unpacked when some of it is asked for.
 * @param packedFile the file that ends of other files are in, where there is one
 */
export function packedSource(
  source: ByteSource,
  sb: ErofsSuperblock,
  file: ErofsInode,
  extents: readonly PackedExtent[],
  packedFile: () => Promise<ByteSource>,
): ByteSource {
  const bad = (field: string, reason: string) =>
    new FormatError('erofs', field, file.offset, `inode ${file.number}: ${reason}`);

  const bytesOf = async ({ at, bytes, stored }: PackedExtent): Promise<Uint8Array> => {
    if (stored.kind === 'fragment') {
      const whole = await packedFile();
      return readWithin(whole, stored.offset, bytes, 'erofs', 'h_fragmentoff');
    }
    const found = await readWithin(source, stored.offset, stored.bytes, 'erofs', 'di_u');
    if (stored.kind === 'plain')
      return stored.turned
        ? turnedBack(found, at % sb.blockBytes, bytes, sb.blockBytes)
        : found.subarray(0, bytes);
    const begins = sb.zeroPadding ? found.findIndex((byte) => byte !== 0) : 0;
    if (begins < 0) throw bad('di_u', `what was packed at ${stored.offset} is all zeros`);
    try {
      return await unpackBlock(stored.packing, found.subarray(begins), bytes);
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
      throw bad(
        'di_u',
        `what was packed at ${stored.offset} does not unpack (${error.format}): ${error.reason}`,
      );
    }
  };

  const kept = new Map<number, Promise<Uint8Array>>();
  const extent = (index: number): Promise<Uint8Array> => {
    const known = kept.get(index);
    if (known) return known;
    const made = bytesOf(extents[index]!);
    kept.set(index, made);
    // What is damaged stays so: the ends of many files may lie in it.
    made.catch((error: unknown) => {
      if (!(error instanceof FormatError)) kept.delete(index);
    });
    if (kept.size > keptExtents) kept.delete(kept.keys().next().value!);
    return made;
  };

  return {
    bytes: file.bytes,
    async read(offset, length) {
      const out = new Uint8Array(Math.max(0, Math.min(length, file.bytes - offset)));
      for (let done = 0, i = extentAt(extents, offset); done < out.length; i++) {
        const { at } = extents[i]!;
        const within = offset + done - at;
        const part = (await extent(i)).subarray(within, within + out.length - done);
        if (part.length === 0) throw bad('i_size', `nothing holds byte ${offset + done}`);
        out.set(part, done);
        done += part.length;
      }
      return out;
    },
  };
}

/** As it was: the end, up to the end of a block of the file, stands behind what comes after it. */
function turnedBack(stored: Uint8Array, within: number, bytes: number, blockBytes: number): Uint8Array {
  const out = new Uint8Array(bytes);
  const first = Math.min(blockBytes - within, bytes);
  out.set(stored.subarray(stored.length - (blockBytes - within)).subarray(0, first));
  out.set(stored.subarray(0, bytes - first), first);
  return out;
}

function extentAt(extents: readonly PackedExtent[], offset: number): number {
  let [low, high] = [0, extents.length - 1];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (extents[middle]!.at <= offset) low = middle;
    else high = middle - 1;
  }
  return Math.max(0, low);
}
