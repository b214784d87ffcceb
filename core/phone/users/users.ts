import { linesOf } from '../../bytes/lines.ts';

/** The phone's owner, another person, a work profile of one of them, another kind of profile, or a guest. */
export const userKinds = ['owner', 'second', 'work', 'profile', 'guest'] as const;
export type UserKind = (typeof userKinds)[number];

/** Somebody for whom a phone has apps and files of their own. */
export interface PhoneUser {
  /** As Android numbers them; 0 is the owner. */
  readonly id: number;
  /** As the phone calls them; in our words where it has no name. */
  readonly name: string;
  readonly kind: UserKind;
  /** It runs and was unlocked since the phone started: what it keeps behind the screen lock can be read. */
  readonly isOpen: boolean;
  /** An app manages it, and says what it may do. */
  readonly isManaged: boolean;
  /** What it may not do, by Android's names (Android, UserManager.DISALLOW_…): `no_install_apps`. */
  readonly bans: readonly string[];
}

/** Of a phone that tells of no users. */
export const owner: PhoneUser = {
  ...{ id: 0, name: 'Owner', kind: 'owner' },
  ...{ isOpen: true, isManaged: false, bans: [] },
};

/** Bits of a user's flags (AOSP frameworks/base, UserInfo.FLAG_…). */
const flagBits = { guest: 0x4, managed: 0x20, profile: 0x1000 } as const;
const namesByKind: Readonly<Record<UserKind, string>> = {
  owner: 'Owner',
  second: 'Second user',
  work: 'Work profile',
  profile: 'Profile',
  guest: 'Guest',
};

/**
 * Reads what `dumpsys user` prints (AOSP frameworks/base, UserManagerService.dump, Android 9 to 14, from memory): a user with its flags
 * in hexadecimal, and below it lines that say more; others are passed over. Where Android has only begun to remove a user, it is none.
 * @returns in the order of their numbers, the owner first, also where the phone tells of nobody
 */
export function parseUserDump(text: string): PhoneUser[] {
  const found = new Map<number, PhoneUser>();
  for (const section of sectionsIn(text)) {
    const user = section.isPartial ? undefined : userOf(section);
    if (user && !found.has(user.id)) found.set(user.id, user);
  }
  if (!found.has(0)) found.set(0, owner);
  return [...found.values()].sort((a, b) => a.id - b.id);
}

interface Section {
  readonly id: number;
  readonly name: string;
  readonly flags: number;
  readonly isPartial: boolean;
  state: string | undefined;
  isManaged: boolean;
  readonly bans: string[];
}

function* sectionsIn(text: string): Generator<Section> {
  let section: Section | undefined;
  let isListing = false;
  for (const line of linesOf(text)) {
    const [, id, name, flags, rest] = /^ {2}UserInfo\{(\d{1,9}):(.*):([0-9a-f]{1,8})\}(.*)$/.exec(line) ?? [];
    if (id !== undefined) {
      if (section) yield section;
      section = {
        ...{ id: Number(id), name: name!.trim(), flags: parseInt(flags!, 16) },
        ...{ isPartial: rest!.includes('<partial>'), state: undefined, isManaged: false, bans: [] },
      };
      isListing = false;
    } else if (section && /^ {4}\S/.test(line)) {
      const [key, value] = line.trim().split(/:\s*/, 2) as [string, string?];
      isListing = key === 'Effective restrictions';
      if (key === 'State') section.state = value;
      if (key === 'Has profile owner') section.isManaged = value === 'true';
    } else if (section && isListing && /^ {6}no_\w+$/.test(line)) section.bans.push(line.trim());
    else if (section && /^\S/.test(line)) {
      yield section;
      section = undefined;
    }
  }
  if (section) yield section;
}

function userOf({ id, name, flags, state, isManaged, bans }: Section): PhoneUser {
  const has = (bit: number) => (flags & bit) !== 0;
  const kind =
    id === 0
      ? 'owner'
      : has(flagBits.managed)
        ? 'work'
        : has(flagBits.guest)
          ? 'guest'
          : has(flagBits.profile)
            ? 'profile'
            : 'second';
  return {
    id,
    name: name === '' || name === 'null' ? namesByKind[kind] : name,
    kind,
    // Before Android 8 nobody tells, and hardly a phone encrypted files by user (from memory).
    isOpen: state === undefined || state === 'RUNNING_UNLOCKED',
    isManaged: isManaged || kind === 'work',
    bans,
  };
}

/** What is to be done to the apps of a user. */
export type UserDoing = 'reach' | 'install' | 'change';

/** What forbids it, by Android's names (Android, UserManager). */
const forbidding: Readonly<Record<UserDoing, readonly string[]>> = {
  // Nothing over adb reaches such a user, not even a list of its apps.
  reach: ['no_debugging_features'],
  install: ['no_install_apps'],
  change: ['no_control_apps', 'no_uninstall_apps'],
};

/** Which of a user's bans forbid something. */
export const bansOf = ({ bans }: PhoneUser, doing: UserDoing): readonly string[] =>
  bans.filter((ban) => forbidding[doing].includes(ban));

/** Whether somebody is not the phone's owner. */
export const isOther = (user: PhoneUser | undefined): user is PhoneUser =>
  user !== undefined && user.id !== 0;

/** For a sentence: `Work profile (user 10)`. */
export const userText = ({ id, name }: Pick<PhoneUser, 'id' | 'name'>): string => `${name} (user ${id})`;
