import { rangesBytes, rangesHead, rangesTail } from '@keen-larder/core/bytes/ranges.ts';
import { Ext4, superblockOffset, withModified } from '@keen-larder/core/formats/ext4/ext4.ts';
import { F2fs, withModified as withModifiedNode } from '@keen-larder/core/formats/f2fs/f2fs.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { Device } from './flash.ts';

/** Overwrites bytes of a file in place, in the blocks that it has. @throws Error when it has none there */
export async function overwriteFile(
  device: Device,
  path: string,
  at: number,
  bytes: Uint8Array,
): Promise<void> {
  const fs = await openFileSystem(device);
  const file = await fs.find(path);
  if (!file) throw new Error(`there is no ${path}`);
  const places = rangesHead(rangesTail((await fs.places(file)) ?? [], at), bytes.length);
  if (rangesBytes(places) < bytes.length)
    throw new Error(`${path} has no blocks for ${bytes.length} bytes at ${at}`);
  let done = 0;
  for (const place of places) {
    await device.write(place.offset, bytes.subarray(done, done + place.bytes));
    done += place.bytes;
  }
}

const superblockBytes = 1024;

/** Says that a file was last changed at another time, in place. @param modifiedAt seconds since 1970 */
export async function touchFile(device: Device, path: string, modifiedAt: number): Promise<void> {
  const fs = await openFileSystem(device);
  const inode = await fs.find(path);
  if (!inode) throw new Error(`there is no ${path}`);
  if (fs instanceof F2fs) {
    const node = await device.read(inode.offset, fs.superblock.blockBytes);
    await device.write(inode.offset, withModifiedNode(node, modifiedAt));
    return;
  }
  if (!(fs instanceof Ext4)) throw new Error(`${fs.format} is only read`);
  const record = await device.read(inode.offset, fs.superblock.inodeBytes);
  const head = await device.read(superblockOffset, superblockBytes);
  await device.write(inode.offset, withModified(record, inode.number, head, modifiedAt));
}
