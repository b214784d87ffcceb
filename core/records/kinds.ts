import type { FileOwnerFacts } from './owners.ts';

/** How far records may travel: to the same build, to the same Android version, or to any phone. */
export type Reach = 'build' | 'android' | 'any';

/**
 * Personal records that belong to no app, and where the platform keeps them (AOSP; each with the class that
 * writes it). Paths are from user data's own root on.
 */
export interface RecordKind {
  readonly id: RecordKindId;
  readonly title: string;
  readonly reach: Reach;
  /** Why it goes no further, in a sentence. */
  readonly why: string;
  /** It holds passphrases or tokens. */
  readonly hasSecrets: boolean;
  /** Files, of which those that are there count; a folder stands for the files right in it. */
  readonly files: readonly string[];
  /** Packages that are stopped first. */
  readonly stops: readonly string[];
}

export const recordKindIds = [
  'wifi',
  'bluetooth',
  'accounts',
  'contacts',
  'messages',
  'calls',
  'calendar',
  'wallpaper',
  'sounds',
  'words',
  'home',
  'usage',
] as const;
export type RecordKindId = (typeof recordKindIds)[number];

const schema = 'Its database is laid out as this Android version wants it; another would not read it.';
const provider = (name: string, file: string) => `/data/com.android.providers.${name}/databases/${file}`;

export const recordKinds: readonly RecordKind[] = [
  {
    id: 'wifi',
    title: 'Wi-Fi networks',
    reach: 'android',
    why: 'Android keeps its list of networks in another place and form in each version.',
    hasSecrets: true,
    // WifiConfigStore; from Android 11 on in the Wi-Fi module's own folder.
    files: ['/misc/wifi/WifiConfigStore.xml', '/misc/apexdata/com.android.wifi/WifiConfigStore.xml'],
    stops: [],
  },
  {
    id: 'bluetooth',
    title: 'Bluetooth pairings',
    reach: 'build',
    why: 'Its keys belong to this phone’s own adapter and to the build that wrote them.',
    hasSecrets: true,
    files: ['/misc/bluedroid/bt_config.conf'], // btif_config
    stops: [],
  },
  {
    id: 'accounts',
    title: 'Accounts',
    reach: 'build',
    why: 'Tokens are issued to one phone and build, and are refused elsewhere.',
    hasSecrets: true,
    files: ['/system_ce/0/accounts_ce.db', '/system_de/0/accounts_de.db'], // AccountsDb
    stops: [],
  },
  {
    id: 'contacts',
    title: 'Contacts',
    reach: 'android',
    why: schema,
    hasSecrets: false,
    files: [provider('contacts', 'contacts2.db')], // ContactsDatabaseHelper
    stops: ['com.android.providers.contacts'],
  },
  {
    id: 'messages',
    title: 'Messages',
    reach: 'android',
    why: schema,
    hasSecrets: false,
    files: [
      provider('telephony', 'mmssms.db'), // MmsSmsDatabaseHelper
      '/user_de/0/com.android.providers.telephony/databases/mmssms.db',
    ],
    stops: ['com.android.providers.telephony'],
  },
  {
    id: 'calls',
    title: 'Call log',
    reach: 'android',
    why: schema,
    hasSecrets: false,
    files: [provider('contacts', 'calllog.db')], // CallLogDatabaseHelper
    stops: ['com.android.providers.contacts'],
  },
  {
    id: 'calendar',
    title: 'Calendar',
    reach: 'android',
    why: schema,
    hasSecrets: false,
    files: [provider('calendar', 'calendar.db')], // CalendarDatabaseHelper
    stops: ['com.android.providers.calendar'],
  },
  {
    id: 'wallpaper',
    title: 'Wallpaper',
    reach: 'any',
    why: 'A picture goes anywhere.',
    hasSecrets: false,
    // WallpaperManagerService
    files: [
      '/system/users/0/wallpaper',
      '/system/users/0/wallpaper_orig',
      '/system/users/0/wallpaper_info.xml',
    ],
    stops: [],
  },
  {
    id: 'sounds',
    title: 'Sounds',
    reach: 'any',
    why: 'Sound files go anywhere.',
    hasSecrets: false,
    files: ['/media/0/Ringtones', '/media/0/Notifications', '/media/0/Alarms'],
    stops: [],
  },
  {
    id: 'words',
    title: 'Keyboard words',
    reach: 'any',
    why: 'The list of words has had one form since Android 4.1.',
    hasSecrets: false,
    files: [provider('userdictionary', 'user_dict.db')], // UserDictionaryProvider
    stops: ['com.android.providers.userdictionary'],
  },
  {
    id: 'home',
    title: 'Home screen and widgets',
    reach: 'build',
    why: 'Icons and widgets are tied to the home screen and the widget numbers of this build.',
    hasSecrets: false,
    files: ['/data/example.tide.home/databases/launcher.db', '/system/users/0/appwidgets.xml'],
    stops: ['example.tide.home'],
  },
  {
    id: 'usage',
    title: 'Data-usage counters',
    reach: 'build',
    why: 'Counters are kept by uids, which are this installation’s own.',
    hasSecrets: false,
    files: ['/system/netstats', '/misc/apexdata/com.android.tethering/netstats'], // NetworkStatsService
    stops: [],
  },
];

export const recordKind = (id: RecordKindId): RecordKind => recordKinds.find((kind) => kind.id === id)!;

/** A file of user data with what matters besides its bytes. */
export interface RecordFile extends FileOwnerFacts {
  /** From user data's own root on. */
  readonly path: string;
  readonly bytes: number;
}

/** Raw files as they were, and what they say in an open format. */
export const recordsPartKinds = ['raw', 'readable'] as const;
export type RecordsPartKind = (typeof recordsPartKinds)[number];

/** What is known of records whose copy is kept. */
export interface CopiedRecords {
  readonly kind: RecordKindId;
  /** How many contacts, networks, messages…; undefined where it cannot be told. */
  readonly count?: number | undefined;
  readonly files: readonly RecordFile[];
  readonly sdk?: number | undefined;
  readonly androidVersion?: string | undefined;
  /** What they lack, where a content provider told them: such a copy can be read, and not be put back. */
  readonly missing?: string | undefined;
  /** Of the build that they came from. */
  readonly fingerprint?: string | undefined;
}

/** A SQLite database has its latest changes beside it. */
export const sideFiles = (path: string): string[] =>
  path.endsWith('.db') ? [`${path}-wal`, `${path}-journal`] : [];

export const reachText: Readonly<Record<Reach, string>> = {
  build: 'this build',
  android: 'this Android version',
  any: 'any phone',
};
