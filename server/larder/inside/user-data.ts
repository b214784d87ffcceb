import { posix } from 'node:path';
import { extract, pack } from 'tar-stream';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { settingsText } from '@keen-larder/core/formats/abx/abx.ts';
import { lookIntoFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { fileSystemArchive } from '../../formats/file-system-archive.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import type { ImageRow } from '../../database/sets.ts';
import type { FileAccess } from '../../links/phone-link.ts';
import { readImage } from '../../shelf/image-reader.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import { tarTree } from './file-trees.ts';
import { imageSource } from './image-source.ts';

/** A file of kept user data, with random access. */
export interface KeptFile {
  readonly bytes: number;
  readonly source: ByteSource;
}

/** Files of kept user data, whichever way they were kept. Paths are from user data's own root on. */
export interface UserData {
  /** Names in a folder; none where there is no such folder. */
  names(path: string): Promise<readonly { readonly name: string; readonly isFolder: boolean }[]>;
  file(path: string): Promise<KeptFile | undefined>;
  /** A folder as a tar stream, without some names right in it. */
  archive(path: string, leaveOut: readonly string[]): AsyncIterable<Uint8Array>;
}

const mountedAt = '/data';

/** User data that a phone has mounted. */
export const userDataOn = (files: FileAccess): UserData => ({
  names: (path) => files.list(`${mountedAt}${path}`),
  async file(path) {
    const source = await files.open(`${mountedAt}${path}`);
    return source && { bytes: source.bytes, source };
  },
  archive: (path, leaveOut) => files.archive(`${mountedAt}${path}`, leaveOut),
});

/** @throws FormatError where it is neither a file system that can be read nor an archive, as when it is encrypted */
export const openUserData = (shelf: Shelf, image: ImageRow): Promise<UserData> =>
  image.kind === 'archive' ? fromArchive(shelf, image) : fromFileSystem(imageSource(shelf, image));

/** User data in a file system. @throws FormatError where it is none that can be read */
export async function fromFileSystem(source: ByteSource): Promise<UserData> {
  const fs = await lookIntoFileSystem(source);
  return {
    async names(path) {
      const inode = await fs.find(path);
      if (inode?.type !== 'directory') return [];
      const entries = await fs.list(inode);
      return Promise.all(
        entries.map(async ({ name, inode: number }) => ({
          name,
          isFolder: (await fs.inode(number)).type === 'directory',
        })),
      );
    },
    async file(path) {
      const inode = await fs.find(path);
      return inode?.type === 'file'
        ? { bytes: inode.bytes, source: await fs.contentSource(inode) }
        : undefined;
    },
    async *archive(path, leaveOut) {
      const inode = await fs.find(path);
      if (inode?.type === 'directory') yield* fileSystemArchive(fs, inode, leaveOut);
    },
  };
}

async function fromArchive(shelf: Shelf, image: ImageRow): Promise<UserData> {
  const source = imageSource(shelf, image);
  const tree = await tarTree(source);
  return {
    names: (path) =>
      Promise.resolve(tree.entries(path).map(({ name, kind }) => ({ name, isFolder: kind === 'folder' }))),
    async file(path) {
      const named = posix.basename(path);
      const isFile = tree
        .entries(posix.dirname(path))
        .some(({ name, kind }) => kind === 'file' && name === named);
      if (!isFile) return Promise.resolve(undefined);
      const file = tree.source(path);
      return Promise.resolve({ bytes: file.bytes, source: file });
    },
    archive: (path, leaveOut) => partOfArchive(readImage(shelf, image), path, leaveOut),
  };
}

/** The entries of an archive that lie in one folder, as an archive of that folder; it is read through for them. */
async function* partOfArchive(
  stream: AsyncIterable<Uint8Array>,
  folder: string,
  leaveOut: readonly string[],
): AsyncGenerator<Uint8Array> {
  const reader = extract();
  const out = pack();
  const within = (name: string) => posix.relative(folder, posix.resolve('/', name));
  const fed = (async () => {
    for await (const part of stream) {
      if (!reader.write(Buffer.from(part))) await new Promise((go) => reader.once('drain', go));
    }
    reader.end();
  })();
  const written = (async () => {
    for await (const entry of reader) {
      const path = within(entry.header.name);
      if (path.startsWith('..') || leaveOut.includes(path.split('/')[0]!)) {
        entry.resume();
        continue;
      }
      const isFolder = entry.header.type === 'directory';
      const { linkname } = entry.header;
      const had = entry.header.pax ?? {};
      // The name is another one, and is written anew.
      const pax = Object.fromEntries(Object.entries(had).filter(([key]) => !/^(?:path|linkpath)$/.test(key)));
      const header = {
        ...entry.header,
        pax,
        name: path === '' ? './' : `./${path}${isFolder ? '/' : ''}`,
        ...(entry.header.type === 'link' && { linkname: `./${within(linkname)}` }),
      };
      const into = out.entry(header);
      if (entry.header.type === 'file') {
        for await (const part of entry) {
          if (!into.write(part)) await new Promise((go) => into.once('drain', go));
        }
      } else entry.resume();
      into.end();
    }
    await fed;
    out.finalize();
  })();
  written.catch((error: unknown) => out.destroy(error as Error));
  try {
    yield* out;
    await written;
  } finally {
    reader.destroy();
    out.destroy();
  }
}

/** A small file as text, also where it is in the platform's binary XML. */
export async function keptText({ bytes, source }: KeptFile): Promise<string> {
  const parts: Uint8Array[] = [];
  for await (const part of sourceBytes(source, 0, bytes)) parts.push(Uint8Array.from(part));
  try {
    return settingsText(Buffer.concat(parts));
  } catch (error) {
    // What the phone cannot read either says nothing.
    if (error instanceof FormatError) return '';
    throw error;
  }
}
