import { randomBytes } from 'node:crypto';
import { mkdtemp, open, rm, type FileHandle } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { mergeRanges, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import {
  Ext4,
  Ext4Builder,
  readSuperblock,
  type Inode,
  type NewFile,
} from '@keen-larder/core/formats/ext4/index.ts';
import type { Device } from './flash.ts';

/** What is put into a file system: a file, or another name of one that is there. */
export type Addition = NewFile | { readonly path: string; readonly linkTo: string };

/** How a file system is to change. */
export interface TreeEdit {
  /** Whether a path, and all below it, goes. */
  readonly removes?: (path: string) => boolean;
  /** What is there under the same path goes. Directories come before what they hold. */
  readonly adds?: readonly Addition[];
  /** Paths that are given others, with all below them; where they go to must be there. */
  readonly moves?: ReadonlyMap<string, string>;
}

const pieceBytes = 1 << 20;

/** Formats a device: an empty ext4. */
export const formatDevice = (device: Device): Promise<void> =>
  build(device, { volume: 'data', lastMounted: '/data' }, () => Promise.resolve());

/**
 * Changes the files of an ext4 by making it anew: a simulated phone has no kernel that would do it in place.
 * @throws Ext4BuildError when there is no room
 */
export async function editTree(
  device: Device,
  { removes = () => false, adds = [], moves = new Map() }: TreeEdit,
): Promise<void> {
  const fs = await Ext4.open(device);
  const { volumeName, lastMountedOn } = await readSuperblock(device);
  const replaced = new Set(adds.map(({ path }) => path));
  const isDirectory = new Set(
    adds.flatMap((each) => ('type' in each && each.type === 'directory' ? each.path : [])),
  );
  await build(device, { volume: volumeName, lastMounted: lastMountedOn }, async (builder) => {
    const linked = new Map<number, string>();
    const moved: { readonly to: string; readonly inode: Inode }[] = [];
    const keep = async (path: string, inode: Inode): Promise<void> => {
      const to = moves.get(path);
      if (to !== undefined) {
        moved.push({ to, inode });
        return;
      }
      if (path !== '/' && removes(path)) return;
      // A directory stays when it is only given another owner or mode.
      const isReplaced = replaced.has(path) && !(inode.type === 'directory' && isDirectory.has(path));
      if (isReplaced || path === '/lost+found') return;
      const first = linked.get(inode.number);
      if (inode.type === 'file' && first) {
        builder.link(path, first);
        return;
      }
      if (inode.type === 'file' && inode.links > 1) linked.set(inode.number, path);
      const kept = await newFileOf(fs, path, inode);
      if (kept) await builder.add(kept);
      if (inode.type !== 'directory') return;
      for (const { name, inode: number } of await fs.list(inode)) {
        await keep(`${path === '/' ? '' : path}/${name}`, await fs.inode(number));
      }
    };
    await keep('/', await fs.inode(2));
    for (const { to, inode } of moved) await keep(to, inode);
    for (const each of adds) {
      if ('linkTo' in each) builder.link(each.path, each.linkTo);
      else await builder.add(each);
    }
  });
}

async function newFileOf(fs: Ext4, path: string, inode: Inode): Promise<NewFile | undefined> {
  const { type } = inode;
  if (type !== 'file' && type !== 'directory' && type !== 'link') return undefined;
  return {
    path,
    type,
    permissions: inode.permissions,
    uid: inode.uid,
    gid: inode.gid,
    modifiedAt: inode.modifiedAt,
    attributes: await fs.attributes(inode),
    ...(type === 'link' && { target: await fs.linkTarget(inode) }),
    ...(type === 'file' && { bytes: inode.bytes, content: fs.content(inode) }),
  };
}

/** Builds beside the device, whose files may be what is built from, and lays the result over it. */
async function build(
  device: Device,
  plan: { readonly volume: string; readonly lastMounted: string },
  fill: (builder: Ext4Builder) => Promise<void>,
): Promise<void> {
  const folder = await mkdtemp(join(tmpdir(), 'keen-larder-ext4-'));
  const scratch = await open(join(folder, 'scratch'), 'w+');
  try {
    const written: ByteRange[] = [];
    const builder = new Ext4Builder(
      {
        ...plan,
        bytes: device.bytes,
        uuid: randomBytes(16),
        madeAt: Math.floor(Date.now() / 1000),
      },
      {
        write: async (offset, bytes) => {
          written.push({ offset, bytes: bytes.length });
          await scratch.write(bytes, 0, bytes.length, offset);
        },
      },
    );
    await fill(builder);
    await builder.finish();
    for (const range of mergeRanges(written)) await copy(scratch, device, range);
  } finally {
    await scratch.close();
    await rm(folder, { recursive: true });
  }
}

async function copy(from: FileHandle, to: Device, { offset, bytes }: ByteRange): Promise<void> {
  const piece = Buffer.alloc(pieceBytes);
  for (let done = 0; done < bytes; done += pieceBytes) {
    const length = Math.min(pieceBytes, bytes - done);
    await from.read(piece, 0, length, offset + done);
    await to.write(offset + done, piece.subarray(0, length));
  }
}
