import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { ChunkRow, ChunkStatements, PackRow } from '../database/chunks.ts';
import { packTrailer, recordHeader, type Record } from './packs/pack-format.ts';
import { PackWriter } from './packs/pack-writer.ts';

/** A pack with less than this share of live bytes is written anew. */
const worthKeeping = 0.7;

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
  how: {
    readStored(row: ChunkRow, stored: Buffer): Promise<void>;
    readBack(path: string, records: readonly Record[]): Promise<void>;
    /** Packs are written anew in which anything lies that is not kept. */
    readonly isThorough: boolean;
  },
): AsyncGenerator<PackRow> {
  for (const pack of chunks.packs()) {
    const rows = chunks.inPack(pack.id);
    const live = rows.filter(({ digest }) => isKept(digest));
    const liveBytes = live.reduce((sum, { storedBytes }) => sum + storedBytes, 0);
    const isWorthIt = how.isThorough
      ? pack.bytes === liveBytes + live.length * recordHeader.bytes + packTrailer.bytes
      : liveBytes >= pack.bytes * worthKeeping;
    if (live.length > 0 && isWorthIt) continue;
    if (live.some(({ damage }) => damage !== null)) continue;
    if (live.length > 0) {
      const writer = await PackWriter.create(folder);
      try {
        for (const row of live) {
          const stored = Buffer.allocUnsafeSlow(row.storedBytes);
          await how.readStored(row, stored);
          await writer.append([{ ...row, stored }]);
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
    chunks.removePack(pack.id);
    yield pack;
  }
}
