import { Ext4 } from '@keen-larder/core/formats/ext4/index.ts';
import { filler } from '../firmware/filler.ts';
import { overwriteFile } from '../flash/file-writes.ts';
import type { Device, Flash } from '../flash/flash.ts';

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
  const fs = await Ext4.open(userData);
  for (const notebook of notebooks) {
    const path = `/data/example.${notebook}/databases/${notebook}.db`;
    const inode = await fs.find(path);
    if (!inode) continue;
    const at = (day % Math.floor(inode.bytes / 4096)) * 4096;
    await overwriteFile(userData, path, at, filler('records', 9000 + day, 4096));
  }
}
