import type { AppHome } from './home/home.ts';
import type { UserKind } from '../phone/users/users.ts';
import type { AppPermission } from './facts.ts';
import type { DataStamp } from './data-stamp.ts';

/** What of an app is kept apart, and in which file of an export. */
export const partKinds = ['program', 'data', 'device-data', 'external', 'media', 'obb'] as const;
export type PartKind = (typeof partKinds)[number];
export const isPartKind = (value: unknown): value is PartKind =>
  (partKinds as readonly unknown[]).includes(value);

/** Parts that are folders of files; the program is its APKs. */
export type FolderKind = Exclude<PartKind, 'program'>;
export const folderKinds: readonly FolderKind[] = ['data', 'device-data', 'external', 'media', 'obb'];

/**
 * Where a user of the phone has an app's files (Android, public documentation): what opens with the screen lock,
 * what is there before it, and what lies on shared storage.
 * @param user 0 for the owner
 */
export const folderOf = (
  kind: FolderKind,
  name: string,
  mode: 'system' | 'recovery' = 'system',
  user = 0,
): string =>
  ({
    // Of the owner the one is another name of the other, which the system alone makes.
    data: mode === 'recovery' && user === 0 ? `/data/data/${name}` : `/data/user/${user}/${name}`,
    'device-data': `/data/user_de/${user}/${name}`,
    external: `/data/media/${user}/Android/data/${name}`,
    media: `/data/media/${user}/Android/media/${name}`,
    obb: `/data/media/${user}/Android/obb/${name}`,
  })[kind];

/** Apps make these anew; they are neither kept nor compared. */
export const cacheFolders: readonly string[] = ['cache', 'code_cache'];

/**
 * Names within the app's own folder while its data is exchanged: new data waits in `next` until all of it is
 * there; what was there goes to `before`, and `aside` marks that all of it has; where only some names of a folder are
 * exchanged, `coming` has their names instead; `settled` marks that the new data was proved and the rest may go.
 */
export const stagingFolders = {
  next: '.keen-larder-next',
  before: '.keen-larder-before',
  aside: '.keen-larder-aside',
  coming: '.keen-larder-coming',
  settled: '.keen-larder-settled',
} as const;

/** What neither kept nor compared data has of an app's folder. */
export const leftOut: readonly string[] = [...cacheFolders, ...Object.values(stagingFolders)];

/** A user other than the owner, as the phone told of them. */
export interface CopiedUser {
  readonly name: string;
  readonly kind: Exclude<UserKind, 'owner'>;
}

/** What is known of an app whose copy is kept. */
export interface CopiedApp {
  readonly package: string;
  readonly label: string;
  readonly versionCode: number;
  readonly versionName?: string | undefined;
  readonly uid: number;
  readonly minSdk?: number | undefined;
  readonly targetSdk?: number | undefined;
  readonly abis: readonly string[];
  /** SHA-256 of the signers' certificates. */
  readonly certificates: readonly string[];
  readonly isBuiltIn: boolean;
  readonly isEnabled: boolean;
  readonly sharedUserId?: string | undefined;
  readonly installer?: string | undefined;
  readonly permissions: readonly AppPermission[];
  /** It had keys in the phone's hardware. */
  readonly hasHardwareKeys: boolean;
  /** Android's API level on the phone that it came from. */
  readonly sdk?: number | undefined;
  /** Whose app it was, where that was not the phone's owner. */
  readonly user?: CopiedUser | undefined;
  /** What tied it to its phone; undefined in copies that were taken before this was kept. */
  readonly home?: AppHome | undefined;
  /** Its data is what the platform's own backup gave: nothing compared it with what the phone has. */
  readonly isAsGiven?: true | undefined;
  /** Left behind by an app that was not installed any more. */
  readonly isLeftover?: true | undefined;
  /** Of its data, when that was kept. */
  readonly stamp?: DataStamp | undefined;
}

export interface CopyPart {
  /** Of the file in an export: `base.apk`, `split_config.en.apk`, `data.tar`. */
  readonly name: string;
  readonly kind: PartKind;
  readonly bytes: number;
  /** Lower-case hexadecimal. */
  readonly sha256: string;
}

export const partNameOf = (kind: FolderKind): string => `${kind}.tar`;

/** One app's program, data and grants at one time. */
export interface AppCopy {
  readonly id: string;
  /** The phone that it came from. */
  readonly serial: string;
  readonly createdAt: number;
  readonly app: CopiedApp;
  readonly parts: readonly CopyPart[];
}

export const hasPart = ({ parts }: Pick<AppCopy, 'parts'>, kind: PartKind): boolean =>
  parts.some((part) => part.kind === kind);

/** A file of an app's data, as far as it can be told without reading it. */
export interface DataFile {
  /** Within the app's folder, no `./` before it, the kind of folder before that: `data/databases/a.db`. */
  readonly path: string;
  readonly bytes: number;
  /** Seconds since 1970. */
  readonly modifiedAt: number;
}

/** Caches come and go. */
export const isCompared = ({ path }: DataFile): boolean => !leftOut.includes(path.split('/')[1] ?? '');

/** Texts whose digests are a `DataStamp`. */
export function stampTexts(files: readonly DataFile[]): DataStamp {
  const sorted = files.filter(isCompared).sort((a, b) => (a.path < b.path ? -1 : 1));
  const textOf = (line: (file: DataFile) => string) => sorted.map(line).join('\n');
  return {
    full: textOf(({ path, bytes, modifiedAt }) => `${bytes} ${modifiedAt} ${path}`),
    sizes: textOf(({ path, bytes }) => `${bytes} ${path}`),
  };
}

/** How an app on the phone stands to its newest copy; `unknown` where its version is the same and its data is not seen. */
export type AppChange = 'never' | 'changed' | 'as-kept' | 'unknown';

/**
 * Compares an app with its newest copy: the version, then its data by sizes and times.
 * @returns `doubt` when only times differ, which the files' digests must decide
 */
export function changeSince(
  app: {
    readonly versionCode: number;
    readonly stamp?: DataStamp | undefined;
    readonly dataBytes?: number | undefined;
  },
  newest: CopiedApp | undefined,
): AppChange | 'doubt' {
  if (!newest) return 'never';
  if (app.versionCode !== newest.versionCode) return 'changed';
  if (!app.stamp) return 'unknown';
  // Data that was never kept is as good as changed; where there is none, nothing is missing.
  if (!newest.stamp) return app.dataBytes === 0 ? 'as-kept' : 'changed';
  if (app.stamp.full === newest.stamp.full) return 'as-kept';
  return app.stamp.sizes === newest.stamp.sizes ? 'doubt' : 'changed';
}
