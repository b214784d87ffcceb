import { createHash } from 'node:crypto';
import { stampTexts, type DataFile, type FolderKind } from '@keen-larder/core/apps/copies.ts';
import type { DataStamp } from '@keen-larder/core/apps/data-stamp.ts';
import type { ArchivedEntry } from './tar.ts';

const digest = (text: string) => createHash('sha256').update(text).digest('hex');

/** How an app's data looks, in two digests. */
export function stampOf(files: readonly DataFile[]): DataStamp {
  const { full, sizes } = stampTexts(files);
  return { full: digest(full), sizes: digest(sizes) };
}

/** As `find` lists them: a hard link is a file as well. */
export function dataFiles(kind: FolderKind, entries: ReadonlyMap<string, ArchivedEntry>): DataFile[] {
  const plain = (path: string) => path.replace(/^\.\//, '');
  return [...entries].flatMap(([path, entry]): DataFile[] => {
    const file = entry.type === 'link' ? entries.get(entry.target!) : entry;
    if (file?.type !== 'file') return [];
    return [{ path: `${kind}/${plain(path)}`, bytes: file.bytes, modifiedAt: file.modifiedAt }];
  });
}
