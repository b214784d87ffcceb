import { componentsIn, packageOfComponent } from './home/reading.ts';
import { folderKinds, folderOf, type FolderKind } from './copies.ts';

/** Where an app may have left something: its own folders, shared storage, its program, and how that is run. */
export type LeftoverKind = FolderKind | 'program' | 'profile';

/**
 * What the system itself notes of an app: an entry of its package manager, or a component in a setting of a user's. `entry` is of one
 * that was removed with its data kept.
 */
export type LeftoverNote =
  | { readonly kind: 'entry'; readonly uid: number }
  | { readonly kind: 'setting'; readonly setting: string; readonly component: string; readonly user: number };

/** Settings of a user's that name components of apps, with colons between (AOSP, Settings.Secure; from memory). */
export const leftoverSettings = [
  'enabled_notification_listeners',
  'enabled_accessibility_services',
  'accessibility_button_targets',
  'accessibility_shortcut_target_service',
  'enabled_vr_listeners',
  'autofill_service',
  'nfc_payment_default_component',
] as const;

/** Folders that hold one folder for each app, by what they are for. */
export const leftoverPlaces: readonly (readonly [kind: LeftoverKind, parent: string])[] = [
  ...folderKinds.map((kind) => [kind, folderOf(kind, '').replace(/\/$/, '')] as const),
  ['program', '/data/app'],
  // Of how its program is run (AOSP, installd, utils.cpp).
  ['profile', '/data/misc/profiles/cur/0'],
  ['profile', '/data/misc/profiles/ref'],
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
  /** What the system's own lists have of it. */
  readonly notes: readonly LeftoverNote[];
  readonly bytes: number;
  /** Owner of its own folders. */
  readonly uid: number | undefined;
  /** The system alone makes such folders; on shared storage anybody may have. */
  readonly isCertain: boolean;
  /** How one knows, in a sentence. */
  readonly why: string;
}

/** Whether there is anything that could be wanted back: how a program is run the system finds out anew. */
export const isWorthKeeping = ({ folders }: Pick<Leftover, 'folders'>): boolean =>
  folders.some(({ kind }) => kind !== 'profile');

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
/** The system may own them. */
const isOfNobody = (kind: LeftoverKind) => isShared(kind) || kind === 'profile';
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

/** Of the components in a setting, those of apps that are not installed and no parts of the platform. */
export const leftComponents = (setting: string, installed: ReadonlySet<string>): string[] =>
  componentsIn(setting).filter((component) => {
    const name = packageOfComponent(component);
    return packageName.test(name) && !isPlatform.test(name) && !installed.has(name);
  });

/** What the system notes of apps that are not installed, by their packages. */
export type NotesByApp = ReadonlyMap<string, readonly LeftoverNote[]>;

/** What is left of apps that are not installed any more, an app each; the largest first. */
export function leftoversOf(
  found: readonly FoundFolder[],
  installed: readonly InstalledName[],
  noted: NotesByApp = new Map(),
): Leftover[] {
  const byName = new Map<string, FoundFolder[]>();
  for (const each of found) {
    const name = packageOfFolder(each.kind, each.path);
    const isSystems = each.kind !== 'program' && each.uid !== undefined && each.uid < firstAppId;
    if (name === undefined || isPlatform.test(name) || (isSystems && !isOfNobody(each.kind))) continue;
    if (belongsTo(installed, each.kind, each.path)) continue;
    byName.set(name, [...(byName.get(name) ?? []), each]);
  }
  for (const name of noted.keys()) if (!byName.has(name) && !isPlatform.test(name)) byName.set(name, []);
  return [...byName]
    .map(([name, folders]): Leftover => {
      const notes = noted.get(name) ?? [];
      const own = folders.find(({ kind }) => kind === 'data' || kind === 'device-data');
      const entry = notes.find((note) => note.kind === 'entry');
      return {
        package: name,
        folders,
        notes,
        bytes: folders.reduce((sum, { bytes }) => sum + bytes, 0),
        uid: own?.uid ?? entry?.uid,
        isCertain: notes.length > 0 || folders.some(({ kind }) => !isShared(kind)),
        why: whyLeft(name, folders, notes, installed),
      };
    })
    .sort((a, b) => b.bytes - a.bytes || (a.package < b.package ? -1 : 1));
}

function whyLeft(
  name: string,
  folders: readonly FoundFolder[],
  notes: readonly LeftoverNote[],
  installed: readonly InstalledName[],
): string {
  const present = installed.find((app) => app.package === name);
  // An update that broke off leaves the program that it was to replace.
  if (present)
    return `${present.label} is installed from another folder: this program is not the one that runs.`;
  const entry = notes.find((note) => note.kind === 'entry');
  if (entry)
    return `No user has ${name}; it was removed with its data kept, and the package manager keeps the id ${entry.uid} for it.`;
  const uid = folders.find(({ kind }) => kind === 'data' || kind === 'device-data')?.uid;
  if (uid !== undefined) {
    const now = installed.filter((app) => app.uid === uid).map(({ label }) => label);
    const owner = now.length > 0 ? `${now.join(' and ')} has now` : 'no app has now';
    return `The package manager knows no ${name}; its folder belongs to the id ${uid}, which ${owner}.`;
  }
  if (folders.some(({ kind }) => !isShared(kind)))
    return `The package manager knows no ${name}; the system alone makes such folders.`;
  return notes.length > 0
    ? `The package manager knows no ${name}; settings of the system name it still.`
    : `No app of that name is installed. On shared storage another app or a person may have made the folder.`;
}
