import { posix } from 'node:path';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { walkOrder, type TreeEntry } from '@keen-larder/core/larder/comparing/files.ts';
import { Ext4, rootInode, type Inode } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { FileView } from '@keen-larder/contract/inside.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import { tarEntries } from '../../formats/tar.ts';
import { Problem } from '../../failures.ts';

/** An entry of a tree that is walked. */
export interface TreeFile extends TreeEntry {
  /** Bytes of a file. */
  content(): AsyncIterable<Uint8Array>;
  /** Where the bytes of a file lie in the tree's source, in their order; undefined where that is not known. */
  places(): Promise<readonly ByteRange[] | undefined>;
}

/** Files within an image. Paths are absolute. */
export interface FileTree {
  /** What a folder holds, folders first. @throws Problem 404 when there is none of that path */
  list(path: string): Promise<FileView[]>;
  /** Everything but the root, in the order of `walkOrder`. */
  walk(): AsyncIterable<TreeFile>;
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
      for (const { name, inode: number } of entries) files.push((await ext4Entry(fs, name, number)).view);
      return files.sort(byKind);
    },
    walk: () => walkExt4(fs),
    async open(path) {
      const inode = await found(path, 'file');
      return { bytes: inode.bytes, content: fs.content(inode) };
    },
  };
}

/** One entry; a damaged inode is shown as such instead of hiding the folder. */
async function ext4Entry(
  fs: Ext4,
  name: string,
  number: number,
): Promise<{ readonly view: FileView; readonly inode?: Inode }> {
  try {
    const inode = await fs.inode(number);
    const attributes = await fs.attributes(inode);
    const label = attributes.find((each) => each.name === 'security.selinux');
    const view = {
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
    return { view, inode };
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return { view: { ...nothing, name, kind: 'other', fault: error.message } };
  }
}

/** A folder that is being walked: what of it is still to come, the next one last. */
interface OpenFolder {
  readonly path: string;
  readonly left: { readonly name: string; readonly inode: number }[];
}

async function* walkExt4(fs: Ext4): AsyncGenerator<TreeFile> {
  const entriesOf = async (inode: Inode) => (await fs.list(inode)).sort((a, b) => (a.name < b.name ? 1 : -1));
  // A damaged file system may have a folder within itself.
  const seen = new Set([rootInode]);
  const open: OpenFolder[] = [{ path: '', left: await entriesOf(await fs.inode(rootInode)) }];
  for (let folder = open.at(-1); folder; folder = open.at(-1)) {
    const next = folder.left.pop();
    if (!next) {
      open.pop();
      continue;
    }
    const path = `${folder.path}/${next.name}`;
    const { view: found, inode } = await ext4Entry(fs, next.name, next.inode);
    let view = found;
    if (inode?.type === 'directory' && !seen.has(inode.number)) {
      seen.add(inode.number);
      try {
        open.push({ path, left: await entriesOf(inode) });
      } catch (error) {
        if (!(error instanceof FormatError)) throw error;
        view = { ...view, fault: error.message };
      }
    }
    yield {
      ...view,
      path,
      content: () => (inode?.type === 'file' ? fs.content(inode) : noBytes()),
      places: () => placesOf(fs, inode),
    };
  }
}

async function* noBytes(): AsyncGenerator<Uint8Array> {}

async function placesOf(fs: Ext4, inode: Inode | undefined): Promise<readonly ByteRange[] | undefined> {
  if (inode?.type !== 'file' || inode.inlineData) return undefined;
  const { blockBytes } = fs.superblock;
  const runs = await fs.runs(inode);
  const inOrder = runs.reduce((end, run) => (end === run.fileBlock ? end + run.blocks : -1), 0);
  const isDense = inOrder === Math.ceil(inode.bytes / blockBytes) && runs.every(({ written }) => written);
  if (!isDense) return undefined;
  return runs.map(({ diskBlock, blocks }) => ({
    offset: diskBlock * blockBytes,
    bytes: blocks * blockBytes,
  }));
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
    async *walk() {
      const all = [...folders].flatMap(([folder, files]) =>
        files.map((file) => ({ ...file, path: posix.join(folder, file.name) })),
      );
      // What is packed twice counts as it was packed last.
      const last = new Map(all.map((file) => [file.path, file]));
      for (const file of [...last.values()].sort((a, b) => walkOrder(a.path, b.path))) {
        const place = places.get(file.path);
        yield await Promise.resolve({
          ...file,
          content: () => (place ? sourceBytes(source, place.offset, place.bytes) : noBytes()),
          places: () => Promise.resolve(place && [place]),
        });
      }
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
