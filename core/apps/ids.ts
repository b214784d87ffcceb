/**
 * User and group ids of apps (AOSP system/core, libcutils, private/android_filesystem_config.h): a uid is the
 * user times 100000 plus the app's own id; some groups are ranges of their own that run along with it.
 */
const userOffset = 100_000;
/** Ids that apps are given, by range: the uid itself, and the groups of its caches and of its shared files. */
const ranges = {
  app: 10_000,
  cache: 20_000,
  external: 30_000,
  externalCache: 40_000,
  shared: 50_000,
} as const;
const rangeEnd = 9_999;

export const isAppId = (appId: number): boolean => appId >= ranges.app && appId <= ranges.app + rangeEnd;

/** The app's own id in a uid, whichever user it runs for. */
export const appIdOf = (uid: number): number => uid % userOffset;

/** Which user a uid is of; 0 is the phone's owner. */
export const userOf = (uid: number): number => Math.floor(uid / userOffset);

/** The uid of an app, or of a part of the system, for a user. */
export const uidOfUser = (user: number, appId: number): number => user * userOffset + appId;

/** @throws RangeError when it is not an app id */
export function uidOf(user: number, appId: number): number {
  if (!isAppId(appId)) throw new RangeError(`${appId} is not an app id`);
  return uidOfUser(user, appId);
}

/** An app on the phone that its data comes from or goes to. */
export interface AppPlace {
  readonly user: number;
  readonly appId: number;
}

/**
 * What an id of one app's files becomes for another place: its uid, its own group, and the groups of its
 * caches and shared files. Ids of the system and of other apps stay as they are.
 * @param id uid or gid
 */
export function remapId(id: number, from: AppPlace, to: AppPlace): number {
  if (userOf(id) !== from.user) return id;
  const within = appIdOf(id);
  for (const start of Object.values(ranges)) {
    const offset = within - start;
    // Shared files belong to an app whoever the user is, and their group says no user.
    const user = start === ranges.shared ? 0 : to.user;
    if (offset === from.appId - ranges.app) return user * userOffset + start + to.appId - ranges.app;
  }
  return id;
}

/** Who may own files of an app on shared storage besides itself (AOSP, android_filesystem_config.h). */
export const sharedStorageOwners: readonly number[] = [1023, 1077, 1078, 1079, 9997];

/** The group of an app's cache. */
export const cacheGroupOf = ({ user, appId }: AppPlace): number =>
  user * userOffset + ranges.cache + appId - ranges.app;

/**
 * Categories that keep apps apart, and users: `c61,c256,c512,c768` (AOSP external/selinux, libselinux,
 * android_seapp.c, `levelFrom=all`).
 */
export function categoriesOf({ user, appId }: AppPlace): string {
  const app = appId - ranges.app;
  return [app & 0xff, 256 + ((app >> 8) & 0xff), ...userCategories(user)].map((each) => `c${each}`).join(',');
}

/** Both halves of a user's number. */
const userCategories = (user: number): readonly number[] => [512 + (user & 0xff), 768 + ((user >> 8) & 0xff)];

/** `user:role:type:s0`, and categories where it has some. */
const labelParts = /^([^:]+:[^:]+:[^:]+:s0)(?::(c\d+(?:,c\d+)*))?$/;

/**
 * A SELinux label of an app's file as it must be for another place: the type stays, the categories follow from
 * the app and the user. Of apps for Android before 9 they follow from the user alone.
 * @returns the label as it is when it has no categories, or is none
 */
export function remapLabel(label: string, to: AppPlace): string {
  const match = labelParts.exec(label);
  const categories = match?.[2]?.split(',');
  if (!match || !categories) return label;
  const next =
    categories.length > 2
      ? categoriesOf(to)
      : userCategories(to.user)
          .map((each) => `c${each}`)
          .join(',');
  return `${match[1]}:${next}`;
}
