import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { Attempt } from './phone-at-work.ts';
import { FlashFailure } from '../../failures.ts';
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

/** A small range in memory. */
export async function readRange({ link, signal }: Attempt, name: string, range: ByteRange): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of accessOf(link).read(name, [range], signal)) parts.push(part.slice());
  const bytes = Buffer.concat(parts);
  if (bytes.length !== range.bytes) {
    throw new FlashFailure(`The phone sent ${bytes.length} of ${range.bytes} bytes.`);
  }
  return bytes;
}
