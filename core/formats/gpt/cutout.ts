import type { ByteSource } from '../../bytes/source.ts';
import { gptHeader, gptSignature } from './layouts.ts';

/** A disk that nobody has is no larger than this: 2^53 bytes would be the end of exact numbers. */
const mostBytes = 2n ** 52n;

/**
 * A partition table that was cut out of its disk, seen as the disk that it describes; what is not in
 * the cut-out reads as zeros. Undefined when the source is no such cut-out.
 */
export async function wholeDiskOf(source: ByteSource): Promise<ByteSource | undefined> {
  for (const sectorBytes of [512, 4096]) {
    if (source.bytes < sectorBytes * 2) continue;
    const primary = await headerAt(source, sectorBytes);
    const diskBytes = primary && (primary.alternateLba + 1n) * BigInt(sectorBytes);
    if (diskBytes && diskBytes > BigInt(source.bytes) && diskBytes < mostBytes) {
      return placed(source, 0, Number(diskBytes));
    }
    const backup = await headerAt(source, Math.floor(source.bytes / sectorBytes - 1) * sectorBytes);
    const end = backup && (backup.myLba + 1n) * BigInt(sectorBytes);
    if (end && end > BigInt(source.bytes) && end < mostBytes) {
      return placed(source, Number(end) - source.bytes, Number(end));
    }
  }
  return undefined;
}

async function headerAt(source: ByteSource, offset: number) {
  const bytes = await source.read(offset, gptHeader.bytes);
  if (bytes.length < gptHeader.bytes) return undefined;
  const header = gptHeader.read(bytes, 0, offset);
  return header.signature === gptSignature ? header : undefined;
}

const placed = (source: ByteSource, start: number, bytes: number): ByteSource => ({
  bytes,
  async read(offset, length) {
    const out = new Uint8Array(length);
    const from = Math.max(offset, start);
    const to = Math.min(offset + length, start + source.bytes);
    if (from < to) out.set(await source.read(from - start, to - from), from - offset);
    return out;
  },
});
