import type { KeptShared } from '@keen-larder/contract/sets.ts';
import { foldersOfApps, type SharedFolder } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { TreeFile } from '../../larder/inside/file-trees.ts';
import type { Inside } from '../../larder/inside/inside.ts';
import type { Larder } from '../../larder/larder.ts';

/** The image that shared storage is kept as. */
export const sharedImage = 'shared-storage';

/** Sets that have shared storage, of whichever phone; the newest first. */
export function keptShared({ larder }: { readonly larder: Larder }): KeptShared[] {
  return larder
    .list()
    .flatMap(({ id, label, serial, nickname, createdAt, binnedAt }): KeptShared[] => {
      const image = binnedAt === undefined ? larder.detail(id).images.find(isShared) : undefined;
      return image ? [{ setId: id, label, serial, nickname, createdAt, bytes: image.bytes }] : [];
    })
    .sort((a, b) => b.createdAt - a.createdAt);
}

const isShared = ({ partition }: { readonly partition: string }) => partition === sharedImage;

/** A file of it, and the folder that it is picked by. */
export interface SharedFile extends TreeFile {
  /** Within shared storage, no `/` before it. */
  readonly within: string;
  readonly top: string;
}

/** The files of shared storage that was kept, without those of apps. @throws Problem 404 where the set has none */
export async function* sharedFiles(inside: Inside, setId: string): AsyncGenerator<SharedFile> {
  const tree = await inside.tree(setId, sharedImage, '');
  for await (const file of tree.walk()) {
    if (file.kind !== 'file') continue;
    const within = file.path.slice(1);
    const at = within.indexOf('/');
    const top = at < 0 ? '' : within.slice(0, at);
    if (top !== foldersOfApps) yield { ...file, within, top };
  }
}

/** What can be picked of it, by name. */
export async function sharedFolders(inside: Inside, setId: string): Promise<SharedFolder[]> {
  const found = new Map<string, { files: number; bytes: number }>();
  for await (const { top, bytes } of sharedFiles(inside, setId)) {
    const folder = found.get(top) ?? { files: 0, bytes: 0 };
    found.set(top, { files: folder.files + 1, bytes: folder.bytes + bytes });
  }
  return [...found].map(([name, folder]) => ({ name, ...folder })).sort((a, b) => (a.name < b.name ? -1 : 1));
}
