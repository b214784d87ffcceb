import { randomUUID } from 'node:crypto';
import { mkdir, open, readFile, rename, rm, type FileHandle } from 'node:fs/promises';
import { basename, dirname } from 'node:path';
import { notAsWritten } from '../failures.ts';
import { writeWhole } from './whole-writes.ts';

/** Ends the name of what is not whole yet; such names count for nothing. */
export const partialSuffix = '.part';

/** Makes a folder's entries durable: without this a rename may be lost with the power. */
export async function syncFolder(path: string): Promise<void> {
  await withFile(path, 'r', (folder) => folder.sync());
}

/** Makes a folder and those on the way to it, for good: what is made durable in a folder that is gone is gone with it. */
export async function makeFolder(path: string): Promise<void> {
  const first = (await mkdir(path, { recursive: true })) ?? path;
  for (let made = path; ; made = dirname(made)) {
    await syncFolder(dirname(made)).catch((error: NodeJS.ErrnoException) => {
      // A folder that was there before may lie in one that is closed to this user.
      if (error.code !== 'EACCES') throw error;
    });
    if (made === first || dirname(made) === made) return;
  }
}

/** Gives a file or folder its final name, for good. */
export async function renameDurably(from: string, to: string): Promise<void> {
  await rename(from, to);
  await syncFolder(dirname(to));
  if (dirname(from) !== dirname(to)) await syncFolder(dirname(from));
}

/** Removes a file, for good; one that is not there is no error. */
export async function removeDurably(path: string): Promise<void> {
  await rm(path, { force: true });
  await syncFolder(dirname(path));
}

/**
 * Writes a file so that it is there whole or not at all, whoever else writes it meanwhile.
 * @throws ShelfFailure when the disk does not keep what it was given
 */
export async function writeDurably(path: string, content: string | Uint8Array): Promise<void> {
  const partial = `${path}.${randomUUID()}${partialSuffix}`;
  try {
    const bytes = Buffer.from(content as Uint8Array);
    await withFile(partial, 'wx', async (file) => {
      await writeWhole(file, bytes);
      await file.sync();
    });
    if (!bytes.equals(await readFile(partial))) throw notAsWritten(basename(path));
    await renameDurably(partial, path);
  } catch (error) {
    await rm(partial, { force: true }).catch(() => undefined);
    throw error;
  }
}

/** Opens a file for some work, and closes it whatever comes of that. */
export async function withFile<T>(
  path: string,
  flags: string,
  work: (file: FileHandle) => Promise<T>,
): Promise<T> {
  const file = await open(path, flags);
  try {
    return await work(file);
  } finally {
    await file.close();
  }
}
