import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { ChunkRow, ChunkStatements } from '../database/chunks.ts';
import { PackWriter } from './pack-writer.ts';

/** A pack with less than this share of live bytes is written anew. */
const worthKeeping = 0.7;

export async function collectPacks(
  folder: string,
  chunks: ChunkStatements,
  isKept: (digest: Buffer) => boolean,
  readStored: (row: ChunkRow) => Promise<Buffer>,
): Promise<{ freedBytes: number }> {
  const before = chunks.storedBytes();
  for (const pack of chunks.packs()) {
    const rows = chunks.inPack(pack.id);
    const live = rows.filter(({ digest }) => isKept(digest));
    const liveBytes = live.reduce((sum, { storedBytes }) => sum + storedBytes, 0);
    if (live.length > 0 && liveBytes >= pack.bytes * worthKeeping) continue;
    if (live.length > 0) {
      const writer = await PackWriter.create(folder);
      for (const row of live) await writer.append([{ ...row, stored: await readStored(row) }]);
      const bytes = await writer.seal();
      chunks.movePack(writer.name, bytes, writer.records);
    }
    chunks.removePack(pack.id);
    await rm(join(folder, pack.name), { force: true });
  }
  return { freedBytes: before - chunks.storedBytes() };
}
