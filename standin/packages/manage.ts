import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { appIdOf, categoriesOf, isAppId, uidOfUser } from '@keen-larder/core/apps/ids.ts';
import { BuildError, type NewFile } from '@keen-larder/core/formats/file-system/building.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { editTree, type Addition, type TreeEdit } from '../flash/file-tree.ts';
import type { Mount, ShellHost } from '../shell/host.ts';
import { turnsOf } from '../shell/turns.ts';
import { usersOf } from './users.ts';
import { entriesOf } from './entries.ts';
import { dangerous, installedApps, type Installed } from './installed.ts';
import { judge, parsed, Refused, type InstallOptions } from './judging.ts';
import {
  attributeOf,
  restrictionOf,
  settingsFiles,
  settingsFilesOf,
  tagOf,
  withGrants,
  withListLine,
  withoutGrants,
  withoutListLine,
  withoutPackage,
  withPackage,
  withRestriction,
  type Restriction,
} from './settings.ts';

interface Settings {
  packages: string;
  list: string;
  grants: string;
  restrictions: string;
}

const seconds = () => Math.floor(Date.now() / 1000);
const systemOwned = { uid: 1000, gid: 1000, attributes: [] } as const;

const dataOf = ({ mounts }: ShellHost): Mount => {
  const data = mounts.find(({ at }) => at === '/data');
  if (!data?.writable) throw new Refused('Failure [INSTALL_FAILED_MEDIA_UNAVAILABLE]');
  return data;
};

const labelled = (label: string) => [
  { name: 'security.selinux', value: new Uint8Array(Buffer.from(`${label}\0`, 'latin1')) },
];

/** Reads a user's settings, has them changed, and writes those that did together with an edit of the file tree. */
const change = (
  host: ShellHost,
  user: number,
  work: (settings: Settings, fs: FileSystem) => TreeEdit | Promise<TreeEdit>,
): Promise<void> => turnsOf(host).changing(() => changeNow(host, user, work));

async function changeNow(
  host: ShellHost,
  user: number,
  work: (settings: Settings, fs: FileSystem) => TreeEdit | Promise<TreeEdit>,
): Promise<void> {
  const { source } = dataOf(host);
  const fs = await openFileSystem(source);
  const files = settingsFilesOf(user);
  const read = async (key: keyof Settings) => (await fs.text(files[key])) ?? '';
  const before: Settings = {
    packages: await read('packages'),
    list: await read('list'),
    grants: await read('grants'),
    restrictions: await read('restrictions'),
  };
  const after = { ...before };
  const edit = await work(after, fs);
  if (host.flash.faults.isFull && edit.adds?.some((each) => 'bytes' in each && each.bytes)) throw noRoom();
  const written: Addition[] = [];
  for (const key of Object.keys(files) as (keyof Settings)[]) {
    if (after[key] === before[key]) continue;
    const inode = await fs.find(files[key]);
    const bytes = Buffer.from(after[key]);
    written.push({
      path: files[key],
      type: 'file',
      permissions: inode?.permissions ?? 0o660,
      modifiedAt: seconds(),
      ...systemOwned,
      bytes: bytes.length,
      content: onePiece(bytes),
    });
  }
  try {
    await editTree(source, { ...edit, adds: [...(edit.adds ?? []), ...written] });
  } catch (error) {
    if (error instanceof BuildError) throw noRoom();
    throw error;
  }
}

const noRoom = () => new Refused('Failure [INSTALL_FAILED_INSUFFICIENT_STORAGE]');

/** Notes the apps that came with the system, as its first start on new user data does. */
export async function noteBuiltIn(host: ShellHost): Promise<void> {
  const data = host.mounts.find(({ at, writable }) => at === '/data' && writable);
  if (!data || (await (await openFileSystem(data.source)).text(settingsFiles.list))) return;
  const apps = await installedApps(host);
  await change(host, 0, (settings) => {
    for (const { apk, uid } of apps) settings.list = withListLine(settings.list, apk.package, uid);
    return {};
  });
}

/**
 * Installs one app from its APKs, as the package manager does: judged, given a uid, its folders made.
 * @throws Refused
 */
export async function install(
  host: ShellHost,
  files: readonly { readonly name: string; readonly bytes: Buffer }[],
  options: InstallOptions,
): Promise<void> {
  const apks = await Promise.all(files.map(async (file) => ({ ...file, apk: await parsed(file.bytes) })));
  const base = apks.find(({ apk }) => !apk.split);
  if (!base) throw new Refused('Failure [INSTALL_FAILED_INVALID_APK: Missing base APK]');
  const { package: name } = base.apk;
  const { user } = options;
  if ((await bansOf(host, user)).includes('no_install_apps'))
    throw new Refused('Failure [INSTALL_FAILED_USER_RESTRICTED: Installs are not allowed for this user]');
  // A program is the same for all users.
  const lists = await listsOf(host);
  const there = [...lists.values()].map((list) =>
    list.find(({ apk, installed }) => apk.package === name && installed),
  );
  const present = there.find((app) => app !== undefined);
  const own = there.find((app) => app?.user === user);
  judge(host, base.apk, present, options);
  if (apks.some(({ apk }) => apk.package !== name || apk.versionCode !== base.apk.versionCode))
    throw new Refused('Failure [INSTALL_FAILED_INVALID_APK: Inconsistent package]');
  if (!present)
    for (const other of lists.keys())
      if (other !== user)
        await change(host, other, (settings) => {
          const without = { enabled: 0, installed: false };
          settings.restrictions = withRestriction(settings.restrictions, name, without);
          return {};
        });
  await change(host, user, async (settings, fs) => {
    const noted = tagOf(settings.packages, 'package', name);
    const known = attributeOf(noted, 'userId') ?? (present && appIdOf(present.uid));
    const userId = Number(known ?? nextUserId(host, settings.packages));
    const before = attributeOf(noted, 'codePath')?.replace(/^\/data/, '');
    const folder = `/app/${name}-${Number(/-(\d+)$/.exec(before ?? '')?.[1] ?? 0) + 1}`;
    const now = Date.now();
    settings.packages = withPackage(settings.packages, {
      name,
      codePath: `/data${folder}`,
      userId,
      version: base.apk.versionCode,
      firstInstalledAt: Number.parseInt(attributeOf(noted, 'it') ?? '', 16) || now,
      updatedAt: now,
      installer: options.installer,
      updateOwner: options.ownsUpdates ? options.installer : undefined,
    });
    settings.list = withListLine(settings.list, name, userId);
    settings.restrictions = withRestriction(settings.restrictions, name, { enabled: 0, installed: true });
    const has = own?.runtime ?? new Map<string, boolean>();
    const asked = base.apk.permissions.filter((each) => dangerous.has(each));
    settings.grants = withGrants(
      settings.grants,
      name,
      new Map(asked.map((each) => [each, has.get(each) ?? false])),
    );
    const code = {
      ...systemOwned,
      modifiedAt: seconds(),
      attributes: labelled('u:object_r:apk_data_file:s0'),
    };
    const adds: Addition[] = [
      ...(await missing(fs, ['/app', '/user', '/user_de', `/user_de/${user}`, foldersOf(user).data])),
      { path: folder, type: 'directory', permissions: 0o755, ...code },
      ...apks.map(({ name: file, bytes, apk }): NewFile => ({
        path: `${folder}/${apk.split ? `split_${apk.split}.apk` : file.endsWith('.apk') ? 'base.apk' : `${file}.apk`}`,
        type: 'file',
        permissions: 0o644,
        ...code,
        bytes: bytes.length,
        content: onePiece(bytes),
      })),
      ...(await dataFolders(fs, name, user, userId)),
    ];
    return { removes: (path) => before !== undefined && path === before, adds };
  });
}

/** One above the highest that was given; where none was, this phone's own first. */
function nextUserId({ properties }: ShellHost, packages: string): number {
  const given = [...packages.matchAll(/\buserId="(\d+)"/g)].map(([, id]) => Number(id)).filter(isAppId);
  const serial = properties['ro.serialno'] ?? '';
  const own = 10_100 + ([...serial].reduce((sum, char) => sum * 31 + char.charCodeAt(0), 7) % 400);
  return given.length > 0 ? Math.max(...given) + 1 : own;
}

async function missing(fs: FileSystem, folders: readonly string[]): Promise<NewFile[]> {
  const made: NewFile[] = [];
  for (const path of folders) {
    if (await fs.find(path)) continue;
    made.push({ path, type: 'directory', permissions: 0o771, ...systemOwned, modifiedAt: seconds() });
  }
  return made;
}

/** An app's own folders, empty, where they are not there yet. */
async function dataFolders(fs: FileSystem, name: string, user: number, appId: number): Promise<NewFile[]> {
  const attributes = labelled(`u:object_r:app_data_file:s0:${categoriesOf({ user, appId })}`);
  const uid = uidOfUser(user, appId);
  const made: NewFile[] = [];
  const { data, device } = foldersOf(user);
  for (const path of [`${data}/${name}`, `${device}/${name}`]) {
    if (await fs.find(path)) continue;
    made.push({
      path,
      type: 'directory',
      permissions: 0o700,
      uid,
      gid: uid,
      attributes,
      modifiedAt: seconds(),
    });
  }
  return made;
}

/** Where a user's apps have their files, within user data. */
const foldersOf = (user: number) => ({
  data: user === 0 ? '/data' : `/user/${user}`,
  device: `/user_de/${user}`,
  external: `/media/${user}/Android/data`,
});

/** The apps of each user. */
async function listsOf(host: ShellHost): Promise<Map<number, Installed[]>> {
  const found = new Map<number, Installed[]>();
  for (const { id } of await usersOf(host)) found.set(id, await installedApps(host, id));
  return found;
}

const bansOf = async (host: ShellHost, user: number) =>
  (await usersOf(host)).find(({ id }) => id === user)?.bans ?? [];

/** @throws Refused when there is no such app */
async function present(host: ShellHost, name: string, user: number): Promise<Installed> {
  const found = (await installedApps(host, user)).find(({ apk }) => apk.package === name);
  if (!found) throw new Refused(`Failure [not installed for ${user}]`);
  return found;
}

/** Removes an app for a user; the program stays where it came with the system, or another user has it. */
export async function uninstall(
  host: ShellHost,
  name: string,
  keepsData: boolean,
  user: number,
): Promise<void> {
  const app = await present(host, name, user);
  if (!app.installed) throw new Refused(`Failure [not installed for ${user}]`);
  const bans = await bansOf(host, user);
  if (bans.includes('no_uninstall_apps') || bans.includes('no_control_apps'))
    throw new Refused('Failure [DELETE_FAILED_USER_RESTRICTED]');
  const others = [...(await listsOf(host))].some(
    ([id, list]) => id !== user && list.some(({ apk, installed }) => apk.package === name && installed),
  );
  await change(host, user, (settings) => {
    const data = keepsData ? [] : Object.values(foldersOf(user)).map((folder) => `${folder}/${name}`);
    if (app.isBuiltIn || others) {
      settings.restrictions = withRestriction(settings.restrictions, name, { enabled: 0, installed: false });
      return { removes: (path) => data.includes(path) };
    }
    const code = app.paths[0]!.replace(/^\/data/, '').replace(/\/[^/]+$/, '');
    // With its data kept it keeps its id as well.
    if (!keepsData) settings.packages = withoutPackage(settings.packages, name);
    settings.list = withoutListLine(settings.list, name);
    settings.grants = withoutGrants(settings.grants, name);
    settings.restrictions = withRestriction(settings.restrictions, name, { enabled: 0, installed: true });
    return { removes: (path) => path === code || data.includes(path) };
  });
}

/** Removes an app for all users: of one that came with the system its update, and its data with it. */
export async function uninstallForAll(host: ShellHost, name: string): Promise<void> {
  if ((await entriesOf(host)).some((entry) => entry.name === name)) return removeEntry(host, name);
  const app = await present(host, name, 0);
  if (!app.isBuiltIn) return uninstall(host, name, false, 0);
  const code = app.paths[0]!.replace(/\/[^/]+$/, '');
  if (!code.startsWith('/data/')) throw new Refused('Failure [DELETE_FAILED_INTERNAL_ERROR]');
  await change(host, 0, (settings) => {
    settings.packages = withoutPackage(settings.packages, name);
    const goes = [code.slice('/data'.length), `/data/${name}`, `/user_de/0/${name}`];
    return { removes: (path) => goes.includes(path) };
  });
}

/** Of an app that was removed with its data kept: its entry, and its data. */
const removeEntry = (host: ShellHost, name: string): Promise<void> =>
  change(host, 0, (settings) => {
    settings.packages = withoutPackage(settings.packages, name);
    settings.restrictions = withRestriction(settings.restrictions, name, { enabled: 0, installed: true });
    const data = Object.values(foldersOf(0)).map((folder) => `${folder}/${name}`);
    return { removes: (path) => data.includes(path) };
  });

/** Disables, enables or brings back. */
export async function restrict(
  host: ShellHost,
  name: string,
  user: number,
  over: Partial<Restriction>,
): Promise<void> {
  await present(host, name, user);
  await change(host, user, (settings) => {
    const next = { ...restrictionOf(settings.restrictions, name), ...over };
    settings.restrictions = withRestriction(settings.restrictions, name, next);
    return {};
  });
}

/** @throws Refused as the package manager does when an app did not ask, or nobody is asked */
export async function grant(
  host: ShellHost,
  name: string,
  user: number,
  permission: string,
  granted: boolean,
): Promise<void> {
  const app = (await installedApps(host, user)).find(({ apk }) => apk.package === name);
  if (!app)
    throw new Refused(
      `Exception occurred while executing 'grant':\njava.lang.IllegalArgumentException: Unknown package: ${name}`,
    );
  if (!app.apk.permissions.includes(permission))
    throw new Refused(
      `Exception occurred while executing 'grant':\njava.lang.SecurityException: Package ${name} has not requested permission ${permission}`,
    );
  if (!app.runtime.has(permission))
    throw new Refused(
      `Exception occurred while executing 'grant':\njava.lang.SecurityException: Permission ${permission} requested by ${name} is not a changeable permission type`,
    );
  if (app.runtime.get(permission) === granted) return;
  await change(host, user, (settings) => {
    settings.grants = withGrants(settings.grants, name, new Map(app.runtime).set(permission, granted));
    return {};
  });
}
