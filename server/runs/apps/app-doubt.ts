import type { CopyView } from '@keen-larder/contract/copies.ts';
import { folderKinds, folderOf, partNameOf } from '@keen-larder/core/apps/copies.ts';
import { archivedEntries } from '../../formats/tar.ts';
import type { Larder } from '../../larder/larder.ts';
import type { PhoneLink } from '../../links/phone-link.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { filesAmong } from '../imaging/archive-taking.ts';

/** More is not digested to settle a doubt: it counts as changed. */
const mostBytes = 64 << 20;

/**
 * Whether an app's data, whose files have the sizes of its copy and other times, has the same bytes: the phone
 * digests them, and so is what is kept.
 */
export async function isAsKept(larder: Larder, { files, user }: PhoneLink, copy: CopyView): Promise<boolean> {
  if (!files) return false;
  for (const kind of folderKinds.slice(0, 2)) {
    const part = copy.parts.find(({ name }) => name === partNameOf(kind));
    if (!part) continue;
    if (part.bytes > mostBytes) return false;
    const folder = folderOf(kind, copy.app.package, 'system', user);
    const kept = filesAmong(
      await archivedEntries(readImage(larder.shelf, larder.copies.part(copy.id, part.name))),
    );
    const present = await files.digests(folder, [...kept.keys()], part.bytes);
    if ([...kept].some(([path, digest]) => present.get(path) !== digest)) return false;
  }
  return true;
}
