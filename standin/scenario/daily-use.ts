import { Ext4 } from '@keen-larder/core/formats/ext4/index.ts';
import { filler } from '../firmware/filler.ts';
import type { Flash } from '../flash/flash.ts';

/**
 * A day in the field: the notebooks' databases and the count of starts change in place, in the user
 * data's own file system.
 * @param day any number; the same day writes the same bytes
 */
export async function useForADay(flash: Flash, day: number): Promise<void> {
  const userData = flash.partition('userdata')!;
  const fs = await Ext4.open(userData);
  const { blockBytes } = fs.superblock;
  const overwrite = async (path: string, at: number, bytes: Uint8Array) => {
    const inode = await fs.find(path);
    if (!inode) throw new Error(`userdata has no ${path}`);
    const block = Math.floor(at / blockBytes);
    const run = (await fs.runs(inode)).find(
      (each) => block >= each.fileBlock && block < each.fileBlock + each.blocks,
    );
    if (!run) throw new Error(`${path} has no block ${block}`);
    await userData.write((run.diskBlock + block - run.fileBlock) * blockBytes + (at % blockBytes), bytes);
  };
  await overwrite('/system/starts.txt', 0, Buffer.from(`${String(day).padStart(11, '0')}\n`));
  for (const notebook of ['tidebook', 'marshlog']) {
    await overwrite(
      `/data/example.${notebook}/databases/${notebook}.db`,
      (day % 100) * 4096,
      filler('records', 9000 + day, 4096),
    );
  }
}
