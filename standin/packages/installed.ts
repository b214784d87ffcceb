import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readApk, type Apk } from '@keen-larder/core/formats/apk/apk.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import type { Mount, ShellHost } from '../shell/host.ts';
import { turnsOf } from '../shell/turns.ts';
import { uidOfUser } from '@keen-larder/core/apps/ids.ts';
import { attributeOf, restrictionOf, sectionOf, settingsFilesOf, tagOf } from './settings.ts';

/** An app as the phone's package manager knows it. */
export interface Installed {
  readonly apk: Apk;
  readonly user: number;
  /** Paths of its APKs as the running system has them. */
  readonly paths: readonly string[];
  readonly uid: number;
  readonly isBuiltIn: boolean;
  readonly installer: string | undefined;
  readonly updateOwner: string | undefined;
  /** Milliseconds since 1970. */
  readonly firstInstalledAt: number;
  readonly updatedAt: number;
  /** As the platform numbers it: 0 as in its manifest, 3 disabled by the user. */
  readonly enabled: number;
  /** False of what was removed for this user, or is of others alone. */
  readonly installed: boolean;
  /** Dangerous permissions and whether they are granted. */
  readonly runtime: ReadonlyMap<string, boolean>;
}

/** Built-in apps that the list of packages does not name are given ids from here on, in their order. */
const firstBuiltInId = 10_010;
const systemId = 1000;
const builtInFolders = ['/app', '/priv-app'];
const dataFolder = '/app';
/** Of the protection level `dangerous` (Android, public documentation), as far as the invented apps ask for them. */
export const dangerous: ReadonlySet<string> = new Set(
  [
    ...['CAMERA', 'RECORD_AUDIO', 'ACCESS_FINE_LOCATION', 'READ_CONTACTS', 'READ_SMS', 'READ_CALENDAR'],
    ...['WRITE_CALENDAR', 'READ_EXTERNAL_STORAGE'],
  ].map((name) => `android.permission.${name}`),
);

interface Programs {
  readonly ofSystem: readonly Program[];
  readonly ofData: readonly Program[];
}

interface Known {
  readonly writes: number;
  readonly programs: Promise<Programs>;
  readonly lists: Map<number, Promise<Installed[]>>;
}
const known = new WeakMap<ShellHost, Known>();

/** All apps of a running system as a user has them, read from its own file systems. */
export function installedApps(host: ShellHost, user = 0): Promise<Installed[]> {
  const { writes } = host.flash;
  let now = known.get(host);
  if (now?.writes !== writes) {
    now = { writes, programs: turnsOf(host).reading(() => readPrograms(host)), lists: new Map() };
    known.set(host, now);
  }
  const { programs, lists } = now;
  const list = lists.get(user) ?? turnsOf(host).reading(() => readAll(host, programs, user));
  lists.set(user, list);
  return list;
}

const mountAt = ({ mounts }: ShellHost, at: string) => mounts.find((mount) => mount.at === at);

const readPrograms = async (host: ShellHost): Promise<Programs> => ({
  ofSystem: await apksIn(mountAt(host, '/system'), builtInFolders),
  ofData: await apksIn(mountAt(host, '/data'), [dataFolder]),
});

async function readAll(host: ShellHost, reading: Promise<Programs>, user: number): Promise<Installed[]> {
  const programs = await reading;
  const data = mountAt(host, '/data');
  const fs = data && (await openFileSystem(data.source));
  const files = settingsFilesOf(user);
  const packages = (await fs?.text(files.packages)) ?? '';
  const restrictions = (await fs?.text(files.restrictions)) ?? '';
  const grants = (await fs?.text(files.grants)) ?? '';
  const found: Installed[] = [];
  let nextId = firstBuiltInId;
  const add = (apk: Apk, paths: readonly string[], isBuiltIn: boolean) => {
    const noted = tagOf(packages, 'package', apk.package);
    const appId = Number(attributeOf(noted, 'userId') ?? (apk.sharedUserId ? systemId : nextId++));
    const time = (name: string) => Number.parseInt(attributeOf(noted, name) ?? '0', 16);
    const own = sectionOf(grants, 'pkg', apk.package);
    found.push({
      apk,
      user,
      paths,
      uid: uidOfUser(user, appId),
      isBuiltIn,
      installer: attributeOf(noted, 'installer'),
      updateOwner: attributeOf(noted, 'updateOwner'),
      firstInstalledAt: time('it'),
      updatedAt: time('ut'),
      ...restrictionOf(restrictions, apk.package),
      runtime: new Map(
        apk.permissions
          .filter((name) => dangerous.has(name))
          .map((name) => [name, isBuiltIn || attributeOf(tagOf(own, 'item', name), 'granted') === 'true']),
      ),
    });
  };
  for (const { apk, paths } of programs.ofSystem) add(apk, paths, true);
  for (const { apk, paths } of programs.ofData) {
    // What came with the system and is there in user data as well was updated.
    const at = found.findIndex((each) => each.apk.package === apk.package);
    if (at >= 0) found.splice(at, 1);
    add(apk, paths, at >= 0);
  }
  return found.sort((a, b) => (a.apk.package < b.apk.package ? -1 : 1));
}

interface Program {
  readonly apk: Apk;
  readonly paths: readonly string[];
}

/** The base APKs in the folders below some folders, with the splits beside them. */
async function apksIn(mount: Mount | undefined, folders: readonly string[]): Promise<Program[]> {
  const found: Program[] = [];
  if (!mount) return found;
  const fs = await openFileSystem(mount.source);
  for (const folder of folders) {
    const inode = await fs.find(folder);
    if (inode?.type !== 'directory') continue;
    for (const { name, inode: number } of await fs.list(inode)) {
      const own = await fs.inode(number);
      if (own.type !== 'directory') continue;
      const names = (await fs.list(own)).filter((each) => each.name.endsWith('.apk'));
      for (const each of names) {
        const apk = await readable(fs, each.inode);
        if (!apk || apk.split) continue;
        const splits = names.filter((other) => other !== each).map((other) => other.name);
        const paths = [each.name, ...splits.sort()].map((file) => `${mount.at}${folder}/${name}/${file}`);
        found.push({ apk, paths });
      }
    }
  }
  return found;
}

/** What is damaged is no app; a phone passes it over as it starts. */
async function readable(fs: FileSystem, number: number): Promise<Apk | undefined> {
  try {
    return await readApk(await fs.contentSource(await fs.inode(number)));
  } catch (error) {
    if (error instanceof FormatError) return undefined;
    throw error;
  }
}

/** From Android 12 on, of apps made for it or later nothing is given (Android, public documentation). */
const closedFrom = 31;
const firstApp = 10_000;

/** Whether an app gives its data to the platform's own backup, and takes it back. */
export const gives = ({ apk, uid, installed }: Installed, sdk: number): boolean =>
  installed &&
  apk.allowsBackup &&
  uid % 100_000 >= firstApp &&
  (apk.debuggable || sdk < closedFrom || apk.targetSdk < closedFrom);
