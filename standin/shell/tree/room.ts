import { readSuperblock } from '@keen-larder/core/formats/ext4/ext4.ts';
import { F2fs } from '@keen-larder/core/formats/f2fs/f2fs.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { formatDevice } from '../../flash/file-tree.ts';
import { complain, deviceAt, print, type Command, type Process } from '../host.ts';
import { turnsOf } from '../turns.ts';
import { placeOf } from './place.ts';

/** Of every file system here. */
const blockBytes = 4096;

/** `df -k PATH`, in kibibytes. */
export const df: Command = async (process) => {
  const path = process.args.at(-1) ?? '/';
  const place = placeOf(process, path);
  if (!place) return complain(process, 'df', `${path}: No such file or directory`);
  const { source } = place.mount;
  // Of what is only read nothing is free.
  const whole = { blockBytes, blocks: Math.floor(source.bytes / blockBytes), freeBlocks: 0 };
  const fs = await openFileSystem(source);
  const { blocks, freeBlocks, ...sizes } =
    fs.format === 'ext4' ? await readSuperblock(source) : fs instanceof F2fs ? roomOf(fs) : whole;
  const kibibytes = (count: number) => (count * sizes.blockBytes) / 1024;
  const isFull = process.host.flash.faults.isFull && place.mount.at === '/data';
  const [all, free] = [kibibytes(blocks), isFull ? 0 : kibibytes(freeBlocks)];
  const share = Math.ceil(((all - free) / all) * 100);
  await print(
    process,
    `Filesystem 1K-blocks Used Available Use% Mounted on\n${place.mount.device} ${all} ${all - free} ${free} ${share}% ${place.mount.at}\n`,
  );
  return 0;
};

/** What an f2fs says of its room: blocks for its user, and those that nothing lies in. */
function roomOf({ superblock: { blockBytes }, checkpoint: { userBlocks, validBlocks } }: F2fs) {
  return { blockBytes, blocks: userBlocks, freeBlocks: userBlocks - validBlocks };
}

/** `mke2fs -t ext4 [-F] [-q] [-b 4096] NODE` */
export const mke2fs: Command = (process) =>
  process.args.includes('-t') && process.args.includes('ext4')
    ? makeFileSystem(process, 'mke2fs', 'ext4')
    : complain(process, 'mke2fs', 'usage: mke2fs -t ext4 NODE');

/** `make_f2fs [-g android] NODE` */
export const makeF2fs: Command = (process) => makeFileSystem(process, 'make_f2fs', 'f2fs');

async function makeFileSystem(process: Process, name: string, format: 'ext4' | 'f2fs'): Promise<number> {
  const { args, host, uid } = process;
  const node = args.at(-1) ?? '';
  const device = deviceAt(host, node);
  if (!device) return complain(process, name, `${node}: No such file or directory`);
  if (uid !== 0) return complain(process, name, `${node}: Permission denied`);
  // The same partition may be mounted under another of its names.
  const isMounted = host.mounts.some((mount) => {
    const other = deviceAt(host, mount.device);
    return mount.at === '/data' && other?.bytes === device.bytes;
  });
  if (isMounted) return complain(process, name, `${node} is mounted; will not make a filesystem here!`);
  await turnsOf(host).changing(() => formatDevice(device, format));
  return 0;
}
