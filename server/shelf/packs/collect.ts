import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { ChunkRow, ChunkStatements, PackRow } from '../../database/chunks.ts';
import { codecs, packTrailer, recordHeader, type PackedChunk, type Record } from './pack-format.ts';
import { PackWriter } from './pack-writer.ts';

/** A pack with less than this share of live bytes is written anew. */
const worthKeeping = 0.7;

/** How chunks come from one pack into another. */
interface Moving {
  readStored(row: ChunkRow, stored: Buffer): Promise<void>;
  readBack(path: string, records: readonly Record[]): Promise<void>;
  /** As the shelf stores it now: sealed, or not. */
  asStored(chunk: PackedChunk): PackedChunk;
}

/**
 * Takes packs without live chunks out of the catalogue, and moves the live chunks of packs that are mostly dead. A pack of
 * which a live chunk is damaged stays as it is.
 * @returns the packs that are gone from the catalogue, while their files are still there
 */
export async function* collectPacks(
  folder: string,
  chunks: ChunkStatements,
  now: () => number,
  isKept: (digest: Buffer) => boolean,
  how: Moving & {
    /** Packs are written anew in which anything lies that is not kept. */
    readonly isThorough: boolean;
  },
): AsyncGenerator<PackRow> {
  for (const pack of chunks.packs()) {
    const rows = chunks.inPack(pack.id);
    const live = rows.filter(({ digest }) => isKept(digest));
    const liveBytes = live.reduce((sum, { storedBytes }) => sum + storedBytes, 0);
    const isWorthIt = how.isThorough
      ? pack.bytes === live.reduce((sum, row) => sum + bytesInPack(row), packTrailer.bytes)
      : liveBytes >= pack.bytes * worthKeeping;
    if (live.length > 0 && isWorthIt) continue;
    if (live.some(({ damage }) => damage !== null)) continue;
    if (live.length > 0) await movePack(folder, chunks, now, live, how);
    chunks.removePack(pack.id);
    yield pack;
  }
}

/** With its header, which is in the record where that is sealed. */
const bytesInPack = ({ codec, storedBytes }: ChunkRow): number =>
  storedBytes + (codec === codecs.sealed ? 0 : recordHeader.bytes);

/** Writes chunks into a pack of their own; from then on they are read there. */
export async function movePack(
  folder: string,
  chunks: ChunkStatements,
  now: () => number,
  rows: readonly ChunkRow[],
  how: Moving,
): Promise<void> {
  const writer = await PackWriter.create(folder);
  try {
    for (const row of rows) {
      const stored = Buffer.allocUnsafeSlow(row.storedBytes);
      await how.readStored(row, stored);
      await writer.append([how.asStored({ ...row, stored })]);
    }
    const bytes = await writer.seal(how.readBack);
    const { mtimeMs } = await stat(join(folder, writer.name));
    const checked = { checkedAt: now(), modifiedAt: Math.round(mtimeMs) };
    chunks.movePack({ name: writer.name, bytes, ...checked }, writer.records);
  } catch (error) {
    await writer.discard();
    throw error;
  }
}
