/** A stretch of bytes. */
export interface ByteRange {
  readonly offset: number;
  readonly bytes: number;
}

export const rangesBytes = (ranges: readonly ByteRange[]): number =>
  ranges.reduce((sum, { bytes }) => sum + bytes, 0);

/** The first `bytes` bytes of ranges that are read one after the other. */
export function rangesHead(ranges: readonly ByteRange[], bytes: number): ByteRange[] {
  const head: ByteRange[] = [];
  let left = bytes;
  for (const range of ranges) {
    if (left <= 0) break;
    head.push({ offset: range.offset, bytes: Math.min(range.bytes, left) });
    left -= range.bytes;
  }
  return head;
}

/** What remains of ranges when their first `bytes` bytes have been read. */
export function rangesTail(ranges: readonly ByteRange[], bytes: number): ByteRange[] {
  const tail: ByteRange[] = [];
  let skip = bytes;
  for (const range of ranges) {
    if (range.bytes > skip) tail.push({ offset: range.offset + skip, bytes: range.bytes - skip });
    skip = Math.max(0, skip - range.bytes);
  }
  return tail;
}

/**
 * Ascending ranges that cover the given ones in whole blocks; those that touch or overlap become one.
 * @param blockBytes what every range begins and ends on, but for the end of all
 * @param limit where all ends
 */
export function alignRanges(ranges: readonly ByteRange[], blockBytes: number, limit: number): ByteRange[] {
  const found: { offset: number; bytes: number }[] = [];
  for (const range of [...ranges].sort((a, b) => a.offset - b.offset)) {
    const start = Math.floor(range.offset / blockBytes) * blockBytes;
    const end = Math.min(limit, Math.ceil((range.offset + range.bytes) / blockBytes) * blockBytes);
    const last = found.at(-1);
    if (last && start <= last.offset + last.bytes) last.bytes = Math.max(last.bytes, end - last.offset);
    else if (end > start) found.push({ offset: start, bytes: end - start });
  }
  return found;
}

/** Ranges for a sentence, the first few of them: `bytes 0 to 4095`. */
export function rangesText(ranges: readonly ByteRange[], most = 4): string {
  const text = ranges.slice(0, most).map(({ offset, bytes }) => `${offset} to ${offset + bytes - 1}`);
  const more = ranges.length - text.length;
  return `bytes ${text.join(', ')}${more > 0 ? ` and ${more} more ranges` : ''}`;
}

/** At most so many ranges: those with the least between them are joined, with what is between them. */
export function fewerRanges(ranges: readonly ByteRange[], most: number): ByteRange[] {
  if (ranges.length <= most) return [...ranges];
  const gaps = ranges
    .slice(1)
    .map(({ offset }, i) => offset - ranges[i]!.offset - ranges[i]!.bytes)
    .sort((a, b) => a - b);
  const joined = gaps[ranges.length - most - 1]!;
  const found: { offset: number; bytes: number }[] = [];
  for (const range of ranges) {
    const last = found.at(-1);
    if (last && range.offset - last.offset - last.bytes <= joined)
      last.bytes = range.offset + range.bytes - last.offset;
    else found.push({ ...range });
  }
  return found;
}

/** The same bytes in as few ranges as they take, in order. */
export function mergeRanges(ranges: readonly ByteRange[]): ByteRange[] {
  const found: ByteRange[] = [];
  for (const { offset, bytes } of [...ranges].sort((a, b) => a.offset - b.offset)) {
    const last = found.at(-1);
    if (last && offset <= last.offset + last.bytes) {
      found[found.length - 1] = {
        offset: last.offset,
        bytes: Math.max(last.bytes, offset + bytes - last.offset),
      };
    } else if (bytes > 0) found.push({ offset, bytes });
  }
  return found;
}

/** What of a range no other one covers, in order. @param others ascending, none overlapping another */
export function rangeWithout({ offset, bytes }: ByteRange, others: readonly ByteRange[]): ByteRange[] {
  const left: ByteRange[] = [];
  const end = offset + bytes;
  let at = offset;
  for (const other of others) {
    if (other.offset >= end) break;
    if (other.offset > at) left.push({ offset: at, bytes: other.offset - at });
    at = Math.max(at, other.offset + other.bytes);
  }
  if (at < end) left.push({ offset: at, bytes: end - at });
  return left;
}
