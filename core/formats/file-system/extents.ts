import type { ByteRange } from '../../bytes/ranges.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';

/** A stretch of a file that lies in one place on the disk. */
export interface Extent {
  /** Where it begins in the file, in bytes. */
  readonly at: number;
  readonly bytes: number;
  /** Where it begins on the disk. */
  readonly offset: number;
}

/**
 * A file as a source, by its extents; what none of them holds is zeros.
 * @param extents ascending, none over another
 * @param field what an error says led there
 */
export function extentSource(
  source: ByteSource,
  extents: readonly Extent[],
  bytes: number,
  format: string,
  field: string,
): ByteSource {
  return {
    bytes,
    read: async (offset, length) => {
      const out = new Uint8Array(Math.max(0, Math.min(length, bytes - offset)));
      const end = offset + out.length;
      for (let i = firstEndingAfter(extents, offset); i < extents.length && extents[i]!.at < end; i++) {
        const extent = extents[i]!;
        const from = Math.max(offset, extent.at);
        const to = Math.min(end, extent.at + extent.bytes);
        const found = await readWithin(source, extent.offset + from - extent.at, to - from, format, field);
        if (found.length === out.length) return found;
        out.set(found, from - offset);
      }
      return out;
    },
  };
}

/** Where all bytes of a file lie, in their order; undefined where there are holes. */
export function extentPlaces(extents: readonly Extent[], bytes: number): ByteRange[] | undefined {
  let end = 0;
  for (const { at, bytes: length } of extents) {
    if (at !== end) return undefined;
    end = at + length;
  }
  return end >= bytes ? extents.map(({ offset, bytes: length }) => ({ offset, bytes: length })) : undefined;
}

/** Where a byte of a file lies; undefined in a hole. */
export function placeOf(extents: readonly Extent[], at: number): number | undefined {
  const extent = extents[firstEndingAfter(extents, at)];
  return extent && extent.at <= at ? extent.offset + at - extent.at : undefined;
}

function firstEndingAfter(extents: readonly Extent[], offset: number): number {
  let [low, high] = [0, extents.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    const { at, bytes } = extents[middle]!;
    if (at + bytes > offset) high = middle;
    else low = middle + 1;
  }
  return low;
}
