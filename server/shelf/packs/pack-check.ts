import { open } from 'node:fs/promises';
import { unpackChunk } from './unpack-chunk.ts';
import { listRecords } from './pack-reader.ts';
import type { Record } from './pack-format.ts';

/** What reading a pack back whole found. */
export interface PackFindings {
  readonly bytes: number;
  /** When its file was last modified; milliseconds since 1970. */
  readonly modifiedAt: number;
  /** What is wrong with its frame, by which it can be read without a catalogue. */
  readonly frame?: string;
  /** Chunks that are not what their names say. */
  readonly damaged: readonly DamagedChunk[];
}

export interface DamagedChunk {
  /** 32 bytes. */
  readonly digest: Uint8Array;
  readonly what: string;
}

/**
 * Reads a pack from the disk: its frame, and every chunk against its name.
 * @param chunks where the catalogue has them; left out for all that the pack itself lists
 * @throws Error when the file cannot be opened
 */
export async function checkPack({
  path,
  chunks,
}: {
  readonly path: string;
  readonly chunks?: readonly Record[];
}): Promise<PackFindings & { readonly records: readonly Record[] }> {
  const file = await open(path, 'r');
  try {
    const { size, mtimeMs } = await file.stat();
    let frame: string | undefined;
    let records = chunks ?? [];
    try {
      const listed = await listRecords(file);
      if (!chunks) records = listed;
    } catch (error) {
      frame = (error as Error).message;
    }
    const damaged: DamagedChunk[] = [];
    for (const record of records) {
      const stored = Buffer.alloc(record.storedBytes);
      let what: string | undefined;
      try {
        const { bytesRead } = await file.read(stored, 0, stored.length, record.offset);
        what = bytesRead < stored.length ? 'is cut off' : unpackChunk(stored, record);
      } catch (error) {
        what = `cannot be read (${(error as Error).message})`;
      }
      // What is in a pack without its frame is read by the catalogue alone: it is not relied upon.
      what ??= frame && `is in a pack that is damaged (${frame})`;
      if (what) damaged.push({ digest: record.digest, what });
    }
    return { bytes: size, modifiedAt: Math.round(mtimeMs), ...(frame && { frame }), damaged, records };
  } finally {
    await file.close();
  }
}
