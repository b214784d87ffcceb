import type { AppFacts } from '@keen-larder/core/apps/facts.ts';
import {
  belongsTo,
  leftoverPlaces,
  leftoversOf,
  packageOfFolder,
  type FoundFolder,
  type Leftover,
} from '@keen-larder/core/apps/leftovers.ts';
import { PhoneRefusal } from '../../failures.ts';
import type { FileAccess } from '../../links/phone-link.ts';

/** Since Android 11 programs lie one folder deeper (AOSP, PackageManagerService). */
const isOfRandomName = (name: string) => name.startsWith('~~');

/**
 * What apps that are not installed any more have left on a phone.
 * @param files of its user data, with root
 * @param installed all of its apps, of every user, those that came with the system among them
 * @throws PhoneRefusal when the list cannot be all of them
 */
export async function findLeftovers(
  files: Pick<FileAccess, 'list' | 'owners' | 'describe'>,
  installed: readonly AppFacts[],
  signal?: AbortSignal,
): Promise<Leftover[]> {
  if (!installed.some(({ isBuiltIn }) => isBuiltIn))
    throw new PhoneRefusal(
      'The package manager lists no app of the system: its list is not complete, and leftovers cannot be found. Wait until the system has started, then look again.',
    );
  const foldersIn = async (parent: string) =>
    (await files.list(parent)).flatMap(({ name, isFolder }) => (isFolder ? [`${parent}/${name}`] : []));
  const found: FoundFolder[] = [];
  for (const [kind, parent] of leftoverPlaces) {
    let paths = await foldersIn(parent);
    if (kind === 'program') {
      const deeper: string[] = [];
      for (const path of paths)
        deeper.push(...(isOfRandomName(path.slice(parent.length + 1)) ? await foldersIn(path) : [path]));
      paths = deeper;
    }
    const left = paths.filter(
      (path) => packageOfFolder(kind, path) !== undefined && !belongsTo(installed, kind, path),
    );
    if (left.length === 0) continue;
    const within = left.map((path) => path.slice(parent.length + 1));
    const owners = await files.owners(parent, within, signal);
    const all = await files.describe(left, signal);
    left.forEach((path, i) =>
      found.push({
        kind,
        path,
        uid: owners.get(within[i]!)?.uid,
        bytes: all.reduce((sum, file) => sum + (file.path.startsWith(`${path}/`) ? file.bytes : 0), 0),
      }),
    );
  }
  return leftoversOf(found, installed);
}
