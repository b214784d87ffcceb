import { posix } from 'node:path';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { walkOrder, type TreeEntry } from '@keen-larder/core/larder/comparing/files.ts';
import { extentPlaces } from '@keen-larder/core/formats/file-system/extents.ts';
import { lookIntoFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { DirectoryEntry, FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { folderPage, type FileView, type FolderView } from '@keen-larder/contract/inside.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import { entrySource, placedEntries, type PlacedEntry } from '../../formats/tar-source.ts';
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
  /** What a folder holds: folders first, or by name where that takes several pages. @throws Problem 404 when there is none of that path */
  list(path: string, wanted?: WantedPage): Promise<FolderView>;
  /** Everything but the root, in the order of `walkOrder`. */
  walk(): AsyncIterable<TreeFile>;
  /** A file's size and its bytes. @throws Problem 404 */
  open(path: string): Promise<{ readonly bytes: number; readonly content: AsyncIterable<Uint8Array> }>;
}

/** Which part of a folder is asked for. */
export interface WantedPage {
  readonly from?: number;
  /** Letters of the names. */
  readonly named?: string;
}

const sorted = <T extends { readonly name: string }>(entries: readonly T[]): T[] =>
  [...entries].sort((a, b) => (a.name < b.name ? -1 : 1));

/** A page of a folder's names, read no further than it goes. @param all sorted */
async function pageOf<T extends { readonly name: string }>(
  all: readonly T[],
  { from = 0, named = '' }: WantedPage,
  view: (entry: T) => Promise<FileView> | FileView,
): Promise<FolderView> {
  const letters = named.toLowerCase();
  const found = letters === '' ? all : all.filter(({ name }) => name.toLowerCase().includes(letters));
  const files: FileView[] = [];
  for (const entry of found.slice(from, from + folderPage)) files.push(await view(entry));
  if (found.length <= folderPage) files.sort(byKind);
  return { files, count: found.length, from };
}

/** The tree of a file system. @throws FormatError when there is none that is read here */
export async function fileSystemTree(source: ByteSource): Promise<FileTree> {
  const fs = await lookIntoFileSystem(source);
  const found = async (path: string, type: FileNode['type']) => {
    const node = await fs.find(path);
    if (node?.type !== type) throw missing(path);
    return node;
  };
  let last: { readonly path: string; readonly all: readonly DirectoryEntry[] } | undefined;
  return {
    async list(path, wanted = {}) {
      // The pages of one folder are asked for one after the other.
      if (last?.path !== path) last = { path, all: sorted(await fs.list(await found(path, 'directory'))) };
      return pageOf(last.all, wanted, ({ name, inode }) => viewOf(fs, name, () => fs.inode(inode)));
    },
    walk: () => walkedTree(fs),
    async open(path) {
      const node = await found(path, 'file');
      return { bytes: node.bytes, content: fs.content(node) };
    },
  };
}

/** One entry; a damaged one is shown as such instead of hiding the folder. */
async function viewOf(
  fs: FileSystem,
  name: string,
  node: FileNode | (() => Promise<FileNode>),
): Promise<FileView> {
  try {
    const found = typeof node === 'function' ? await node() : node;
    const label = (await fs.attributes(found)).find((each) => each.name === 'security.selinux');
    return {
      name,
      kind: kindOf(found.type),
      bytes: found.bytes,
      mode: found.permissions,
      uid: found.uid,
      gid: found.gid,
      modifiedAt: found.modifiedAt * 1000,
      linkTarget: found.type === 'link' ? await fs.linkTarget(found) : undefined,
      label: label && Buffer.from(label.value).toString().replace(/\0$/, ''),
      fault: fs.doubtOf(found),
    };
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return { ...nothing, name, kind: 'other', fault: error.message };
  }
}

async function* walkedTree(fs: FileSystem): AsyncGenerator<TreeFile> {
  for await (const { path, name, node, fault } of fs.walk()) {
    const view = node ? await viewOf(fs, name, node) : { ...nothing, name, kind: 'other' as const };
    const isFile = node?.type === 'file';
    yield Object.assign(view, {
      fault: fault ?? view.fault,
      path,
      content: () => (isFile ? fs.content(node) : noBytes()),
      places: () => (isFile ? fs.places(node) : Promise.resolve(undefined)),
    });
  }
}

async function* noBytes(): AsyncGenerator<Uint8Array> {}

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

const kindOf = (type: FileNode['type']): FileView['kind'] =>
  type === 'directory' ? 'folder' : type === 'file' || type === 'link' ? type : 'other';

/** The tree of an archive, of whose files each is a source of its own. */
export interface TarTree extends FileTree {
  /** @throws Problem 404 */
  source(path: string): ByteSource;
  /** All that a folder holds; nothing where there is no such folder. */
  entries(path: string): readonly FileView[];
}

/** The tree of a tar archive; it is gone through once for its headers. */
export async function tarTree(source: ByteSource): Promise<TarTree> {
  const folders = new Map<string, FileView[]>([['/', []]]);
  const files = new Map<string, PlacedEntry>();
  for await (const entry of placedEntries(source)) {
    const { header } = entry;
    const path = posix.resolve('/', header.name);
    // The same file under another name, which was packed before.
    const same = header.type === 'link' ? files.get(posix.resolve('/', header.linkname ?? '')) : undefined;
    if (header.type === 'file') files.set(path, entry);
    else if (same) files.set(path, same);
    if (path === '/') continue;
    if (header.type === 'directory') folders.set(path, folders.get(path) ?? []);
    const parent = posix.dirname(path);
    const siblings = folders.get(parent) ?? [];
    folders.set(parent, siblings);
    siblings.push(viewOfEntry(posix.basename(path), header, same));
  }
  let last: { readonly folder: readonly FileView[]; readonly all: readonly FileView[] } | undefined;
  const found = (path: string): PlacedEntry => {
    const entry = files.get(posix.resolve('/', path));
    if (!entry) throw missing(path);
    return entry;
  };
  return {
    async list(path, wanted = {}) {
      const folder = folders.get(posix.resolve('/', path));
      if (!folder) throw missing(path);
      if (last?.folder !== folder) last = { folder, all: sorted(folder) };
      return pageOf(last.all, wanted, (file) => file);
    },
    entries: (path) => folders.get(posix.resolve('/', path)) ?? [],
    async *walk() {
      const all = [...folders].flatMap(([folder, within]) =>
        within.map((file) => ({ ...file, path: posix.join(folder, file.name) })),
      );
      // What is packed twice counts as it was packed last.
      const last = new Map(all.map((file) => [file.path, file]));
      for (const file of [...last.values()].sort((a, b) => walkOrder(a.path, b.path))) {
        const entry = files.get(file.path);
        yield await Promise.resolve({
          ...file,
          content: () => (entry ? sourceBytes(entrySource(source, entry)) : noBytes()),
          places: () => Promise.resolve(entry && extentPlaces(entry.extents, entry.header.size)),
        });
      }
    },
    source: (path) => entrySource(source, found(path)),
    async open(path) {
      const file = await Promise.resolve(entrySource(source, found(path)));
      return { bytes: file.bytes, content: sourceBytes(file) };
    },
  };
}

function viewOfEntry(name: string, header: PlacedEntry['header'], same: PlacedEntry | undefined): FileView {
  const { type, mode, uid, gid, mtime, linkname } = header;
  const pax = (header.pax ?? {}) as Record<string, string>;
  const isHard = type === 'link';
  const kind =
    type === 'directory'
      ? 'folder'
      : type === 'file' || same
        ? 'file'
        : type === 'symlink'
          ? 'link'
          : 'other';
  return {
    name,
    kind,
    bytes: same ? same.header.size : header.size,
    mode: mode ?? 0,
    uid: uid ?? 0,
    gid: gid ?? 0,
    modifiedAt: mtime?.getTime() ?? 0,
    linkTarget: isHard ? undefined : linkname || undefined,
    label: pax['RHT.security.selinux'],
    fault:
      isHard && !same ? `It is the same file as ${linkname}, which the archive does not have.` : undefined,
  };
}

const missing = (path: string) => new Problem(404, `There is nothing at ${path} in this image.`);

const byKind = (a: FileView, b: FileView): number =>
  Number(b.kind === 'folder') - Number(a.kind === 'folder') || (a.name < b.name ? -1 : 1);
