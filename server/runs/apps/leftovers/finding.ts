import {
  belongsTo,
  leftComponents,
  leftoverPlaces,
  leftoverSettings,
  leftoversOf,
  packageOfFolder,
  type FoundFolder,
  type InstalledName,
  type Leftover,
  type LeftoverNote,
} from '@keen-larder/core/apps/leftovers.ts';
import { packageOfComponent } from '@keen-larder/core/apps/home/reading.ts';
import { appsOfAll } from '../../../bench/phone-users.ts';
import { PhoneRefusal } from '../../../failures.ts';
import type { FileAccess, PhoneLink } from '../../../links/phone-link.ts';
import { filesOf } from '../../phone/phone-access.ts';

/** Since Android 11 programs lie one folder deeper (AOSP, PackageManagerService). */
const isOfRandomName = (name: string) => name.startsWith('~~');

/**
 * What apps that are not installed any more have left on a phone: in folders of the owner's, and in lists of the system's. What the
 * system put away by itself, to come back, is not left over.
 * @param link of a running system with root
 * @throws PhoneRefusal when the list of apps cannot be all of them
 */
export async function findLeftovers(link: PhoneLink, signal?: AbortSignal): Promise<Leftover[]> {
  const files = filesOf(link);
  const apps = await appsOfAll(link, signal);
  if (!apps.some(({ isBuiltIn }) => isBuiltIn))
    throw new PhoneRefusal(
      'The package manager lists no app of the system: its list is not complete, and leftovers cannot be found. Wait until the system has started, then look again.',
    );
  const entries = (await link.apps?.entries(signal)) ?? [];
  const archived = entries
    .filter(({ isArchived }) => isArchived)
    .map(({ package: name, appId: uid }): InstalledName => ({ package: name, label: name, uid, paths: [] }));
  const installed = [...apps, ...archived];
  const noted = new Map<string, LeftoverNote[]>();
  const note = (name: string, one: LeftoverNote) => noted.set(name, [...(noted.get(name) ?? []), one]);
  for (const { package: name, appId: uid, isArchived } of entries)
    if (!isArchived) note(name, { kind: 'entry', uid });
  for (const one of await notesInSettings(link, new Set(installed.map((app) => app.package))))
    note(packageOfComponent(one.component), one);
  return leftoversOf(await foldersOf(files, installed, signal), installed, noted);
}

/** Components of apps that are not installed, in settings of all users. */
async function notesInSettings(link: PhoneLink, installed: ReadonlySet<string>) {
  const notes: (LeftoverNote & { readonly kind: 'setting' })[] = [];
  for (const { id: user } of (await link.users?.list()) ?? []) {
    const { home } = link.asUser(user);
    for (const setting of leftoverSettings)
      for (const component of leftComponents((await home?.setting(setting)) ?? '', installed))
        notes.push({ kind: 'setting', setting, component, user });
  }
  return notes;
}

/** Folders of apps that are not installed, each with its owner and what lies in it. */
async function foldersOf(
  files: Pick<FileAccess, 'list' | 'owners' | 'describe'>,
  installed: readonly InstalledName[],
  signal: AbortSignal | undefined,
): Promise<FoundFolder[]> {
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
  return found;
}
