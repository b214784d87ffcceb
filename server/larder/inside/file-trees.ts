import { posix } from 'node:path';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { Ext4, type Inode } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { FileView } from '@keen-larder/contract/inside.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import { tarEntries } from '../../formats/tar.ts';
import { Problem } from '../../failures.ts';

/** Files within an image. Paths are absolute. */
export interface FileTree {
  /** What a folder holds, folders first. @throws Problem 404 when there is none of that path */
  list(path: string): Promise<FileView[]>;
  /** A file's size and its bytes. @throws Problem 404 */
  open(path: string): Promise<{ readonly bytes: number; readonly content: AsyncIterable<Uint8Array> }>;
}

const mostEntries = 20_000;

/** The tree of an ext2, ext3 or ext4 file system. @throws FormatError when it is none */
export async function ext4Tree(source: ByteSource): Promise<FileTree> {
  const fs = await Ext4.open(source);
  const found = async (path: string, type: Inode['type']) => {
    const inode = await fs.find(path);
    if (inode?.type !== type) throw missing(path);
    return inode;
  };
  return {
    async list(path) {
      const entries = (await fs.list(await found(path, 'directory'))).slice(0, mostEntries);
      const files: FileView[] = [];
      for (const { name, inode: number } of entries) files.push(await ext4View(fs, name, number));
      return files.sort(byKind);
    },
    async open(path) {
      const inode = await found(path, 'file');
      return { bytes: inode.bytes, content: fs.content(inode) };
    },
  };
}

/** One entry; a damaged inode is shown as such instead of hiding the folder. */
async function ext4View(fs: Ext4, name: string, number: number): Promise<FileView> {
  try {
    const inode = await fs.inode(number);
    const attributes = await fs.attributes(inode);
    const label = attributes.find((each) => each.name === 'security.selinux');
    return {
      name,
      kind: kindOf(inode.type),
      bytes: inode.bytes,
      mode: inode.permissions,
      uid: inode.uid,
      gid: inode.gid,
      modifiedAt: inode.modifiedAt * 1000,
      linkTarget: inode.type === 'link' ? await fs.linkTarget(inode) : undefined,
      label: label && Buffer.from(label.value).toString().replace(/\0$/, ''),
      fault: undefined,
    };
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return { ...nothing, name, kind: 'other', fault: error.message };
  }
}

const nothing = {
  bytes: 0,
  mode: 0,
  uid: 0,
  gid: 0,
  modifiedAt: 0,
  linkTarget: undefined,
  label: undefined,
  fault: undefined,
};

const kindOf = (type: Inode['type']): FileView['kind'] =>
  type === 'directory' ? 'folder' : type === 'file' || type === 'link' ? type : 'other';

/** The tree of an archive, which knows where the bytes of its files lie. */
export interface TarTree extends FileTree {
  /** @throws Problem 404 */
  place(path: string): Promise<{ readonly offset: number; readonly bytes: number }>;
}

/** The tree of a tar archive; it is read through once for its headers. */
export async function tarTree(source: ByteSource, stream: AsyncIterable<Uint8Array>): Promise<TarTree> {
  const folders = new Map<string, FileView[]>([['/', []]]);
  const places = new Map<string, { readonly offset: number; readonly bytes: number }>();
  for await (const { header, offset } of tarEntries(stream)) {
    const path = posix.resolve('/', header.name);
    if (header.type === 'file') places.set(path, { offset, bytes: header.size });
    if (path !== '/') {
      if (header.type === 'directory') folders.set(path, folders.get(path) ?? []);
      const parent = posix.dirname(path);
      const siblings = folders.get(parent) ?? [];
      folders.set(parent, siblings);
      const pax = (header.pax ?? {}) as Record<string, string>;
      siblings.push({
        name: posix.basename(path),
        kind:
          header.type === 'directory'
            ? 'folder'
            : header.type === 'file'
              ? 'file'
              : header.type === 'symlink'
                ? 'link'
                : 'other',
        bytes: header.size,
        mode: header.mode,
        uid: header.uid,
        gid: header.gid,
        modifiedAt: header.mtime.getTime(),
        linkTarget: header.linkname || undefined,
        label: pax['RHT.security.selinux'],
        fault: undefined,
      });
    }
  }
  return {
    list(path) {
      const found = folders.get(posix.resolve('/', path));
      return found ? Promise.resolve([...found].sort(byKind)) : Promise.reject(missing(path));
    },
    place(path) {
      const place = places.get(posix.resolve('/', path));
      return place ? Promise.resolve(place) : Promise.reject(missing(path));
    },
    open(path) {
      const place = places.get(posix.resolve('/', path));
      return place
        ? Promise.resolve({ bytes: place.bytes, content: sourceBytes(source, place.offset, place.bytes) })
        : Promise.reject(missing(path));
    },
  };
}

const missing = (path: string) => new Problem(404, `There is nothing at ${path} in this image.`);

const byKind = (a: FileView, b: FileView): number =>
  Number(b.kind === 'folder') - Number(a.kind === 'folder') || (a.name < b.name ? -1 : 1);
