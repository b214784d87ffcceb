import { randomBytes } from 'node:crypto';
import { mkdtemp, open, rm, type FileHandle } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { mergeRanges, rangeWithout, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { emptyTables, Ext4, Ext4Builder } from '@keen-larder/core/formats/ext4/ext4.ts';
import { F2fs, F2fsBuilder } from '@keen-larder/core/formats/f2fs/f2fs.ts';
import type {
  BlockRun,
  BuildSink,
  FileSystemBuilder,
  NewFile,
} from '@keen-larder/core/formats/file-system/building.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import type { Device } from './flash.ts';

/** What is put into a file system: a file, or another name of one that is there. */
export type Addition = NewFile | { readonly path: string; readonly linkTo: string };

/** What a file or folder is given besides its bytes. */
export interface Retouch {
  readonly uid?: number;
  readonly gid?: number;
  readonly permissions?: number;
  /** Of SELinux. */
  readonly label?: string;
}

/** How a file system is to change. */
export interface TreeEdit {
  /** Whether a path, and all below it, goes. */
  readonly removes?: (path: string) => boolean;
  /** What is there under the same path goes. Directories come before what they hold. */
  readonly adds?: readonly Addition[];
  /** Paths that are given others, with all below them; where they go to must be there. */
  readonly moves?: ReadonlyMap<string, string>;
  /** What stays and is given other owners, modes or labels, by its path afterwards. */
  readonly retouches?: (path: string) => Retouch | undefined;
}

const pieceBytes = 1 << 20;
const blockBytes = 4096;

/** What a simulated phone writes; the rest it only reads. */
type Writable = 'ext4' | 'f2fs';

/** Formats a device: empty. */
export const formatDevice = (device: Device, format: Writable = 'ext4'): Promise<void> =>
  build(device, { format, volume: 'data', lastMounted: '/data' }, () => Promise.resolve());

/**
 * Changes the files of an ext4 or f2fs by making its tables anew: a simulated phone has no kernel that would change them.
 * Files that stay keep the blocks that they lie in.
 * @throws BuildError when there is no room
 */
export async function editTree(device: Device, edit: TreeEdit): Promise<void> {
  const fs = await openFileSystem(device);
  const plan = planOf(fs);
  const kept = await whatStays(fs, edit);
  const empty = fs instanceof Ext4 ? await emptyTables(fs) : [];
  await build(
    device,
    plan,
    async (builder) => {
      const lying = new Map<number, BlockRun[]>();
      for (const { inode } of kept) {
        if (inode.type !== 'file' || lying.has(inode.number)) continue;
        const runs = await wholeBlocks(fs, inode);
        if (runs && builder.reserve(runs)) lying.set(inode.number, runs);
      }
      // Whichever of its names was given.
      const retouches = new Map<number, Retouch>();
      for (const { path, inode } of kept) {
        const by = edit.retouches?.(path);
        if (by) retouches.set(inode.number, by);
      }
      const first = new Map<number, string>();
      for (const { path, inode } of kept) {
        const other = inode.type === 'file' ? first.get(inode.number) : undefined;
        if (other) {
          builder.link(path, other);
          continue;
        }
        first.set(inode.number, path);
        const file = await newFileOf(fs, path, inode, lying.get(inode.number));
        if (file) await builder.add(retouched(file, retouches.get(inode.number)));
      }
      for (const each of edit.adds ?? []) {
        if ('linkTo' in each) builder.link(each.path, each.linkTo);
        else await builder.add(each);
      }
    },
    empty,
  );
}

interface Plan {
  readonly format: Writable;
  readonly volume: string;
  readonly lastMounted: string;
}

function planOf(fs: FileSystem): Plan {
  if (fs instanceof Ext4) {
    const { volumeName: volume, lastMountedOn: lastMounted } = fs.superblock;
    return { format: 'ext4', volume, lastMounted };
  }
  if (fs instanceof F2fs) return { format: 'f2fs', volume: fs.superblock.volumeName, lastMounted: '' };
  throw new Error(`${fs.format} is only read`);
}

interface Kept {
  readonly path: string;
  readonly inode: FileNode;
}

/** What is there afterwards of what was there, under its new paths; directories come before what they hold. */
async function whatStays(
  fs: FileSystem,
  { removes = () => false, adds = [], moves = new Map() }: TreeEdit,
): Promise<Kept[]> {
  const replaced = new Set(adds.map(({ path }) => path));
  const isDirectory = new Set(
    adds.flatMap((each) => ('type' in each && each.type === 'directory' ? each.path : [])),
  );
  const kept: Kept[] = [];
  const moved: Kept[] = [];
  const keep = async (path: string, inode: FileNode, hasMoved = false): Promise<void> => {
    const to = moves.get(path);
    if (to !== undefined) {
      moved.push({ path: to, inode });
      return;
    }
    // What was moved took the place of what goes.
    if (path !== '/' && !hasMoved && removes(path)) return;
    // A directory stays when it is only given another owner or mode.
    const isReplaced = replaced.has(path) && !(inode.type === 'directory' && isDirectory.has(path));
    if (isReplaced || path === '/lost+found') return;
    kept.push({ path, inode });
    if (inode.type !== 'directory') return;
    for (const { name, inode: number } of await fs.list(inode)) {
      await keep(`${path === '/' ? '' : path}/${name}`, await fs.inode(number), hasMoved);
    }
  };
  await keep('/', await fs.inode(fs.root));
  for (const { path, inode } of moved) await keep(path, inode, true);
  return kept;
}

/** Where a file without holes lies, whose blocks are as large as those of a new file system. */
async function wholeBlocks(fs: FileSystem, inode: FileNode): Promise<BlockRun[] | undefined> {
  if (fs instanceof Ext4 && fs.superblock.blockBytes !== blockBytes) return undefined;
  let left = Math.ceil(inode.bytes / blockBytes);
  const found: BlockRun[] = [];
  for (const { offset, bytes } of (await fs.places(inode)) ?? []) {
    const count = Math.min(left, Math.ceil(bytes / blockBytes));
    if (offset % blockBytes !== 0) return undefined;
    if (count > 0) found.push({ block: offset / blockBytes, count });
    left -= count;
  }
  return left === 0 ? found : undefined;
}

async function newFileOf(
  fs: FileSystem,
  path: string,
  inode: FileNode,
  lies: BlockRun[] | undefined,
): Promise<NewFile | undefined> {
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
    ...(type === 'file' && { bytes: inode.bytes, ...(lies ? { lies } : { content: fs.content(inode) }) }),
  };
}

function retouched(file: NewFile, by: Retouch | undefined): NewFile {
  if (!by) return file;
  const { label, ...others } = by;
  const attributes =
    label === undefined
      ? file.attributes
      : [
          ...file.attributes.filter(({ name }) => name !== 'security.selinux'),
          { name: 'security.selinux', value: Buffer.from(`${label}\0`, 'latin1') },
        ];
  return { ...file, ...others, attributes };
}

/**
 * Builds beside the device, whose files may be what is built from, and lays the result over it.
 * @param empty where the device has inode tables without inodes
 */
async function build(
  device: Device,
  { format, ...names }: Plan,
  fill: (builder: FileSystemBuilder) => Promise<void>,
  empty: readonly ByteRange[] = [],
): Promise<void> {
  const folder = await mkdtemp(join(tmpdir(), 'keen-larder-files-'));
  const scratch = await open(join(folder, 'scratch'), 'w+');
  try {
    const written: ByteRange[] = [];
    const zeroed: ByteRange[] = [];
    const madeAt = Math.floor(Date.now() / 1000);
    const plan = { ...names, bytes: device.bytes, uuid: randomBytes(16), madeAt };
    const sink: BuildSink = {
      write: async (offset, bytes) => {
        written.push({ offset, bytes: bytes.length });
        await scratch.write(bytes, 0, bytes.length, offset);
      },
      zero(offset, bytes) {
        zeroed.push(...rangeWithout({ offset, bytes }, empty));
        return Promise.resolve();
      },
    };
    const builder = format === 'ext4' ? new Ext4Builder(plan, sink) : new F2fsBuilder(plan, sink);
    await fill(builder);
    await builder.finish();
    const piece = Buffer.allocUnsafe(pieceBytes);
    for (const range of mergeRanges(written)) await copy(scratch, device, range, piece);
    for (const { offset, bytes } of mergeRanges(zeroed)) await device.write(offset, Buffer.alloc(bytes));
  } finally {
    await scratch.close();
    await rm(folder, { recursive: true });
  }
}

async function copy(
  from: FileHandle,
  to: Device,
  { offset, bytes }: ByteRange,
  piece: Uint8Array,
): Promise<void> {
  for (let done = 0; done < bytes; done += piece.length) {
    const length = Math.min(piece.length, bytes - done);
    await from.read(piece, 0, length, offset + done);
    await to.write(offset + done, piece.subarray(0, length));
  }
}
