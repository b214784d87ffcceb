import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { Attempt } from './phone-at-work.ts';
import { FlashFailure, RunFailure } from '../../failures.ts';
import { accessOf } from './phone-access.ts';

/** The smallest piece that flash is read in when it fails; a page of memory and of most file systems. */
const smallestBytes = 4096;

/** The bytes of a range, read whole or else in halves; zeros, noted in `lost`, where the smallest part fails. */
export async function readInParts(
  attempt: Attempt,
  name: string,
  range: ByteRange,
  lost: ByteRange[],
): Promise<Buffer> {
  try {
    return await readRange(attempt, name, range);
  } catch (error) {
    if (!(error instanceof FlashFailure)) throw error;
    if (range.bytes <= smallestBytes) {
      const last = lost.at(-1);
      if (last && last.offset + last.bytes === range.offset) {
        lost[lost.length - 1] = { offset: last.offset, bytes: last.bytes + range.bytes };
      } else lost.push(range);
      return Buffer.alloc(range.bytes);
    }
    const half = Math.ceil(range.bytes / 2 / smallestBytes) * smallestBytes;
    const first = await readInParts(attempt, name, { offset: range.offset, bytes: half }, lost);
    const second = await readInParts(
      attempt,
      name,
      { offset: range.offset + half, bytes: range.bytes - half },
      lost,
    );
    return Buffer.concat([first, second]);
  }
}

/**
 * A small range in memory.
 * @throws RunFailure when the phone gives another number of bytes and reports no error: then the partition is not what it
 * was when the run was planned
 */
export async function readRange({ link, signal }: Attempt, name: string, range: ByteRange): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of accessOf(link).read(name, [range], signal)) parts.push(part.slice());
  const bytes = Buffer.concat(parts);
  if (bytes.length !== range.bytes) {
    throw new RunFailure(
      `${name} is not as the phone told it: at ${sizeText(range.offset)} it gave ${bytes.length} of ${range.bytes} bytes and reported no error. Nothing of ${name} is kept. Look at its partitions again, then start anew.`,
    );
  }
  return bytes;
}
