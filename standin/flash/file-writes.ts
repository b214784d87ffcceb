import { Ext4, superblockOffset, withModified } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { Device } from './flash.ts';

/** Overwrites bytes of a file in place, in the blocks that it has. @throws Error when it has none there */
export async function overwriteFile(
  device: Device,
  path: string,
  at: number,
  bytes: Uint8Array,
): Promise<void> {
  const fs = await Ext4.open(device);
  const inode = await fs.find(path);
  if (!inode) throw new Error(`there is no ${path}`);
  const { blockBytes } = fs.superblock;
  const runs = await fs.runs(inode);
  for (let done = 0; done < bytes.length;) {
    const block = Math.floor((at + done) / blockBytes);
    const within = (at + done) % blockBytes;
    const run = runs.find((each) => block >= each.fileBlock && block < each.fileBlock + each.blocks);
    if (!run) throw new Error(`${path} has no block ${block}`);
    const part = bytes.subarray(done, done + blockBytes - within);
    await device.write((run.diskBlock + block - run.fileBlock) * blockBytes + within, part);
    done += part.length;
  }
}

const superblockBytes = 1024;

/** Says that a file was last changed at another time, in place. @param modifiedAt seconds since 1970 */
export async function touchFile(device: Device, path: string, modifiedAt: number): Promise<void> {
  const fs = await Ext4.open(device);
  const inode = await fs.find(path);
  if (!inode) throw new Error(`there is no ${path}`);
  const record = await device.read(inode.offset, fs.superblock.inodeBytes);
  const head = await device.read(superblockOffset, superblockBytes);
  await device.write(inode.offset, withModified(record, inode.number, head, modifiedAt));
}
