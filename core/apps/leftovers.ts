import { folderKinds, folderOf, type FolderKind } from './copies.ts';

/** Where an app may have left something: its own folders, shared storage, its program. */
export type LeftoverKind = FolderKind | 'program';

/** Folders that hold one folder for each app, by what they are for. */
export const leftoverPlaces: readonly (readonly [kind: LeftoverKind, parent: string])[] = [
  ...folderKinds.map((kind) => [kind, folderOf(kind, '').replace(/\/$/, '')] as const),
  ['program', '/data/app'],
];

/** A folder that lies where folders of apps lie. */
export interface FoundFolder {
  readonly kind: LeftoverKind;
  readonly path: string;
  /** Owner, where the phone tells it. */
  readonly uid: number | undefined;
  readonly bytes: number;
}

/** What of one app is on a phone that has the app no more. */
export interface Leftover {
  readonly package: string;
  readonly folders: readonly FoundFolder[];
  readonly bytes: number;
  /** Owner of its own folders. */
  readonly uid: number | undefined;
  /** The system alone makes such folders; on shared storage anybody may have. */
  readonly isCertain: boolean;
  /** How one knows, in a sentence. */
  readonly why: string;
}

/** What an installed app is known by. */
export interface InstalledName {
  readonly package: string;
  readonly label: string;
  readonly uid: number;
  /** Of its program; any path within its folder. */
  readonly paths: readonly string[];
}

/**
 * Parts of the platform go by the system, whatever its package manager lists: contacts and messages lie in folders of such names
 * (AOSP, packages/providers).
 */
const isPlatform = /^(?:android|com\.android)(?:\.|$)/;
/** Ids of the system's own services lie below those of apps (AOSP, android_filesystem_config.h). */
const firstAppId = 10_000;
const isShared = (kind: LeftoverKind) => kind === 'external' || kind === 'media' || kind === 'obb';
const packageName = /^[A-Za-z]\w*(?:\.[A-Za-z]\w*)+$/;

/**
 * The package that a folder is called by; undefined where it is called by none. Programs lie in `NAME-1`, `NAME-RANDOM==` since
 * Android 8, and that within `~~RANDOM==` since Android 11 (AOSP, PackageManagerService, getNextCodePath).
 */
export function packageOfFolder(kind: LeftoverKind, path: string): string | undefined {
  const last = path.slice(path.lastIndexOf('/') + 1);
  const name = kind === 'program' ? last.replace(/-(?:\d+|[\w-]{22}==)$/, '') : last;
  return packageName.test(name) && (kind !== 'program' || name !== last) ? name : undefined;
}

/** Whether a folder belongs to an app that is installed. */
export function belongsTo(installed: readonly InstalledName[], kind: LeftoverKind, path: string): boolean {
  if (kind === 'program')
    return installed.some(({ paths }) => paths.some((each) => each.startsWith(`${path}/`)));
  const name = packageOfFolder(kind, path);
  return installed.some((app) => app.package === name);
}

/** Folders of apps that are not installed any more, an app each; the largest first. */
export function leftoversOf(found: readonly FoundFolder[], installed: readonly InstalledName[]): Leftover[] {
  const byName = new Map<string, FoundFolder[]>();
  for (const each of found) {
    const name = packageOfFolder(each.kind, each.path);
    const isSystems = each.kind !== 'program' && each.uid !== undefined && each.uid < firstAppId;
    if (name === undefined || isPlatform.test(name) || (isSystems && !isShared(each.kind))) continue;
    if (belongsTo(installed, each.kind, each.path)) continue;
    byName.set(name, [...(byName.get(name) ?? []), each]);
  }
  return [...byName]
    .map(([name, folders]): Leftover => {
      const own = folders.find(({ kind }) => kind === 'data' || kind === 'device-data');
      const program = folders.some(({ kind }) => kind === 'program');
      return {
        package: name,
        folders,
        bytes: folders.reduce((sum, { bytes }) => sum + bytes, 0),
        uid: own?.uid,
        isCertain: own !== undefined || program,
        why: whyLeft(name, own?.uid, own !== undefined, program, installed),
      };
    })
    .sort((a, b) => b.bytes - a.bytes || (a.package < b.package ? -1 : 1));
}

function whyLeft(
  name: string,
  uid: number | undefined,
  hasOwn: boolean,
  hasProgram: boolean,
  installed: readonly InstalledName[],
): string {
  const present = installed.find((app) => app.package === name);
  // An update that broke off leaves the program that it was to replace.
  if (present)
    return `${present.label} is installed from another folder: this program is not the one that runs.`;
  if (hasOwn && uid !== undefined) {
    const now = installed.filter((app) => app.uid === uid).map(({ label }) => label);
    const owner = now.length > 0 ? `${now.join(' and ')} has now` : 'no app has now';
    return `The package manager knows no ${name}; its folder belongs to the id ${uid}, which ${owner}.`;
  }
  return hasOwn || hasProgram
    ? `The package manager knows no ${name}; the system alone makes such folders.`
    : `No app of that name is installed. On shared storage another app or a person may have made the folder.`;
}
