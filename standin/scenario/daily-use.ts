import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { withDay } from '../firmware/database.ts';
import { overwriteFile, touchFile } from '../flash/file-writes.ts';
import type { Device, Flash } from '../flash/flash.ts';

/** A day's changes are of that day of the scenario, counted from here. */
const firstDayAt = Date.UTC(2026, 0, 5, 18) / 1000;
const secondsOfDay = 86_400;

/** Notebooks that write their databases every day, where a phone has them. */
const notebooks = ['tidebook', 'marshlog'];

/**
 * A day in the field: the notebooks' databases and the count of starts change in place, in the user
 * data's own file system.
 * @param day any number; the same day writes the same bytes
 * @param userData the partition, unless it must be seen through a cipher
 */
export async function useForADay(
  flash: Flash,
  day: number,
  userData: Device = flash.partition('userdata')!,
): Promise<void> {
  await overwriteFile(userData, '/system/starts.txt', 0, Buffer.from(`${String(day).padStart(11, '0')}\n`));
  const fs = await openFileSystem(userData);
  for (const notebook of notebooks) {
    const path = `/data/example.${notebook}/databases/${notebook}.db`;
    const before = await fs.find(path);
    if (!before) continue;
    await overwriteFile(userData, path, 0, withDay(await bytesOf(fs, before), day));
    await touchFile(userData, path, firstDayAt + day * secondsOfDay);
  }
}

async function bytesOf(fs: FileSystem, inode: FileNode): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of fs.content(inode)) parts.push(Uint8Array.from(part));
  return Buffer.concat(parts);
}
