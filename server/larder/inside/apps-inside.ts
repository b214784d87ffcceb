import type { AppInside } from '@keen-larder/contract/copies.ts';
import { folderKinds, folderOf, type CopiedApp, type FolderKind } from '@keen-larder/core/apps/copies.ts';
import { tagsIn } from '@keen-larder/core/bytes/xml-tags.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readApk, type Apk } from '@keen-larder/core/formats/apk/apk.ts';
import { keptText, type UserData } from './user-data.ts';
import { Problem } from '../../failures.ts';

/** An app within kept user data, and where its parts lie there. */
export interface FoundApp {
  readonly app: CopiedApp;
  readonly programs: readonly { readonly name: string; readonly path: string; readonly bytes: number }[];
  readonly folders: readonly { readonly kind: FolderKind; readonly path: string }[];
}

const dataRoot = '/data';
const codeFolder = '/app';
const lists = {
  packages: '/system/packages.list',
  settings: '/system/packages.xml',
  grants: [
    '/system/users/0/runtime-permissions.xml',
    '/misc_de/0/apexdata/com.android.permission/runtime-permissions.xml',
  ],
} as const;

/**
 * Apps that the owner of kept user data had installed.
 * @param wanted packages: folders that are named after others are not looked into
 */
export async function findApps(data: UserData, wanted?: ReadonlySet<string>): Promise<FoundApp[]> {
  const list = await textAt(data, lists.packages);
  const uids = new Map(
    [...list.matchAll(/^([A-Za-z0-9_.]+) (\d+) /gm)].map(([, name, uid]) => [name!, Number(uid)]),
  );
  const settings = settingsIn(await textAt(data, lists.settings));
  const grants = grantsIn((await Promise.all(lists.grants.map((path) => textAt(data, path)))).join('\n'));
  const found: FoundApp[] = [];
  const mayHold = (folder: string) => {
    // `example.tidebook-1`: a name of its own, a number or something random behind the package's.
    const named = /^([A-Za-z][\w.]*)-/.exec(folder)?.[1];
    return !wanted || named === undefined || wanted.has(named);
  };
  for (const folder of await codeFolders(data, codeFolder, 2, mayHold)) {
    const app = await appIn(data, folder);
    const uid = app && uids.get(app.apk.package);
    if (app && uid !== undefined) found.push(await foundApp(data, app, uid, settings, grants));
  }
  return found.sort((a, b) => (a.app.label < b.app.label ? -1 : 1));
}

/**
 * Some of the apps that the owner of kept user data had installed, in the order they are asked for.
 * @throws Problem 404 naming one that is not there
 */
export async function pickApps(data: UserData, packages: readonly string[]): Promise<FoundApp[]> {
  const among = (found: readonly FoundApp[]) =>
    packages.flatMap((name) => found.find(({ app }) => app.package === name) ?? []);
  let picked = among(await findApps(data, new Set(packages)));
  // One that lies in a folder of another name.
  if (picked.length < packages.length) picked = among(await findApps(data));
  const missing = packages.find((name) => picked.every(({ app }) => app.package !== name));
  if (missing) throw new Problem(404, `${missing} is not among its apps.`);
  return picked;
}

export const appInside = ({ app, programs, folders }: FoundApp): AppInside => ({
  package: app.package,
  label: app.label,
  versionName: app.versionName,
  versionCode: app.versionCode,
  programBytes: programs.reduce((sum, { bytes }) => sum + bytes, 0),
  hasData: folders.length > 0,
});

async function textAt(data: UserData, path: string): Promise<string> {
  const file = await data.file(path);
  return file ? keptText(file) : '';
}

/** Folders with a base APK, as deep as each Android version has put them. */
async function codeFolders(
  data: UserData,
  folder: string,
  depth: number,
  mayHold: (name: string) => boolean,
): Promise<string[]> {
  const found: string[] = [];
  for (const { name, isFolder } of await data.names(folder)) {
    if (!isFolder || !mayHold(name)) continue;
    const path = `${folder}/${name}`;
    if (await data.file(`${path}/base.apk`)) found.push(path);
    else if (depth > 1) found.push(...(await codeFolders(data, path, depth - 1, mayHold)));
  }
  return found;
}

interface Code {
  readonly folder: string;
  readonly apk: Apk;
  readonly programs: FoundApp['programs'];
}

async function appIn(data: UserData, folder: string): Promise<Code | undefined> {
  const base = (await data.file(`${folder}/base.apk`))!;
  try {
    const apk = await readApk(base.source);
    const programs = [{ name: 'base.apk', path: `${folder}/base.apk`, bytes: base.bytes }];
    for (const { name } of await data.names(folder)) {
      if (!/^split_.*\.apk$/.test(name)) continue;
      const split = await data.file(`${folder}/${name}`);
      if (split) programs.push({ name, path: `${folder}/${name}`, bytes: split.bytes });
    }
    return { folder, apk, programs };
  } catch (error) {
    // What is no program that can be read is no app; a phone passes it over as well.
    if (error instanceof FormatError) return undefined;
    throw error;
  }
}

async function foundApp(
  data: UserData,
  { apk, programs }: Code,
  uid: number,
  settings: PackageSettings,
  grants: ReadonlyMap<string, ReadonlySet<string>>,
): Promise<FoundApp> {
  const name = apk.package;
  const folders: { kind: FolderKind; path: string }[] = [];
  for (const kind of folderKinds) {
    const path = folderOf(kind, name, 'recovery').slice(dataRoot.length);
    if ((await data.names(path)).length > 0) folders.push({ kind, path });
  }
  const own = grants.get(name);
  return {
    app: {
      package: name,
      label: apk.label ?? name,
      versionCode: apk.versionCode,
      versionName: apk.versionName,
      uid,
      minSdk: apk.minSdk,
      targetSdk: apk.targetSdk,
      abis: apk.abis,
      certificates: apk.signing?.certificates ?? [],
      isBuiltIn: false,
      isEnabled: true,
      sharedUserId: apk.sharedUserId,
      installer: settings.installers.get(name),
      // Where it is not told what was granted, nothing is to be set when it is put back.
      permissions: own
        ? apk.permissions.map((permission) => ({
            name: permission,
            granted: own.has(permission),
          }))
        : [],
      hasHardwareKeys: (await data.names('/misc/keystore/user_0')).some((each) =>
        each.name.startsWith(`${uid}_USRPKEY_`),
      ),
      sdk: settings.sdk,
    },
    programs,
    folders,
  };
}

/** What `packages.xml` says beside what each APK says itself. */
interface PackageSettings {
  readonly sdk: number | undefined;
  readonly installers: ReadonlyMap<string, string>;
}

function settingsIn(xml: string): PackageSettings {
  const installers = new Map<string, string>();
  for (const { attributes } of tagsIn(xml, 'package')) {
    const [name, installer] = [attributes.get('name'), attributes.get('installer')];
    if (name && installer !== undefined) installers.set(name, installer);
  }
  const [version] = tagsIn(xml, 'version');
  const sdk = Number(version?.attributes.get('sdkVersion') ?? NaN);
  return { sdk: Number.isInteger(sdk) ? sdk : undefined, installers };
}

/** Grants by package: elements have had either name (AOSP, RuntimePermissionsPersistence). */
function grantsIn(xml: string): Map<string, Set<string>> {
  const grants = new Map<string, Set<string>>();
  for (const element of ['pkg', 'package']) {
    for (const { attributes, end } of tagsIn(xml, element)) {
      const name = attributes.get('name');
      const close = xml.indexOf(`</${element}>`, end);
      if (close < 0) break;
      if (!name || grants.has(name)) continue;
      const granted = new Set<string>();
      for (const kind of ['item', 'permission'])
        for (const { attributes: of } of tagsIn(xml.slice(end, close), kind))
          if (of.get('granted') === 'true') granted.add(of.get('name') ?? '');
      grants.set(name, granted);
    }
  }
  return grants;
}
