import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { ChunkStatements } from '../database/chunks.ts';
import { PackWriter } from './packs/pack-writer.ts';

/** A pack with less than this share of live bytes is written anew. */
const worthKeeping = 0.7;

/**
 * Removes packs without live chunks, and moves the live chunks of packs that are mostly dead.
 * @returns ids of the packs that are gone from the catalogue, each before its file is removed
 */
export async function* collectPacks(
  folder: string,
  chunks: ChunkStatements,
  isKept: (digest: Buffer) => boolean,
  readStored: (digest: Buffer, stored: Buffer) => Promise<void>,
): AsyncGenerator<number> {
  for (const pack of chunks.packs()) {
    const rows = chunks.inPack(pack.id);
    const live = rows.filter(({ digest }) => isKept(digest));
    const liveBytes = live.reduce((sum, { storedBytes }) => sum + storedBytes, 0);
    if (live.length > 0 && liveBytes >= pack.bytes * worthKeeping) continue;
    if (live.length > 0) {
      const writer = await PackWriter.create(folder);
      for (const row of live) {
        const stored = Buffer.allocUnsafeSlow(row.storedBytes);
        await readStored(row.digest, stored);
        await writer.append([{ ...row, stored }]);
      }
      const bytes = await writer.seal();
      chunks.movePack(writer.name, bytes, writer.records);
    }
    chunks.removePack(pack.id);
    yield pack.id;
    await rm(join(folder, pack.name), { force: true });
  }
}
