import { FolderJudge } from '../../apps/entries.ts';
import type { FolderKind } from '../../apps/copies.ts';

/**
 * Where an entry of a backup belongs. Paths are within the folder, nothing before them; the folder itself is `.`.
 */
export type BackupPlace =
  | AppFilePlace
  | { readonly kind: 'manifest' | 'widgets' | 'key-value'; readonly package: string }
  | { readonly kind: 'shared'; readonly path: string };

/** A file or folder of an app; of its program, an APK's name. */
export interface AppFilePlace {
  readonly kind: 'program' | FolderKind;
  readonly package: string;
  readonly path: string;
}

/**
 * What stands for which folder of an app (AOSP, frameworks/base, core/java/android/app/backup, FullBackup.java): each is a folder in
 * the app's data, and with `d_` before it in what opens before the screen lock.
 */
const dataFolders: readonly (readonly [token: string, folder: string])[] = [
  ['f', 'files'],
  ['db', 'databases'],
  ['sp', 'shared_prefs'],
  ['nb', 'no_backup'],
  ['c', 'cache'],
  ['r', ''],
];
const apps = 'apps';
const manifestName = '_manifest';
const widgetsName = '_meta';
const programFolder = 'a';
const obbFolder = 'obb';
const externalFolder = 'ef';
const keyValueFolder = 'k';
/** Of `shared/0/…`: the first storage is what the owner sees. */
const sharedFolder = 'shared';
const packageName = /^[A-Za-z]\w*(?:\.\w+)*$/;

const joined = (folder: string, path: string) =>
  [folder, path].filter((part) => part !== '').join('/') || '.';

/** @returns undefined for what stands in no backup @throws UnsafeEntry for a path that leaves its folder */
export function placeInBackup(name: string): BackupPlace | undefined {
  const { path } = new FolderJudge('the backup').judge({ path: name, type: 'directory' });
  const [top = '', owner = '', token = '', ...rest] = path.split('/');
  if (top === sharedFolder)
    return owner ? { kind: 'shared', path: joined(token, rest.join('/')) } : undefined;
  if (top !== apps || !packageName.test(owner)) return undefined;
  const within = rest.join('/');
  if (token === manifestName && !within) return { kind: 'manifest', package: owner };
  if (token === widgetsName && !within) return { kind: 'widgets', package: owner };
  if (token === keyValueFolder) return { kind: 'key-value', package: owner };
  if (token === programFolder) return { kind: 'program', package: owner, path: within };
  if (token === obbFolder) return { kind: 'obb', package: owner, path: joined('', within) };
  if (token === externalFolder) return { kind: 'external', package: owner, path: joined('files', within) };
  const isDevice = token.startsWith('d_');
  const found = dataFolders.find(([known]) => known === (isDevice ? token.slice(2) : token));
  return found && { kind: isDevice ? 'device-data' : 'data', package: owner, path: joined(found[1], within) };
}

/** How a backup calls a file of an app; undefined for what none has: caches, media, and the folder itself. */
export function nameInBackup(app: string, kind: FolderKind, path: string): string | undefined {
  const named = (token: string, within: string) => `${apps}/${app}/${token}/${within}`;
  if (path === '.') return undefined;
  if (kind === 'obb') return named(obbFolder, path);
  if (kind === 'external')
    return path.startsWith('files/') ? named(externalFolder, path.slice('files/'.length)) : undefined;
  if (kind === 'media') return undefined;
  const [first = '', ...rest] = path.split('/');
  const token = dataFolders.find(([, folder]) => folder === first)?.[0];
  if (token === 'c' || first === 'code_cache') return undefined;
  const before = kind === 'device-data' ? 'd_' : '';
  if (token === undefined) return named(`${before}r`, path);
  return rest.length > 0 ? named(`${before}${token}`, rest.join('/')) : undefined;
}

export const manifestPath = (app: string): string => `${apps}/${app}/${manifestName}`;
export const programPath = (app: string, apk: string): string => `${apps}/${app}/${programFolder}/${apk}`;
