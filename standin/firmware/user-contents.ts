import { cacheGroupOf, categoriesOf } from '@keen-larder/core/apps/ids.ts';
import { homeFiles } from '../packages/home-files.ts';
import type { Item } from './item.ts';
import { emptyProviders, recordItems } from './records.ts';
import { programs, type ProgramName } from './programs.ts';

const MiB = 1024 * 1024;

const installed = ([name, appId, seed, programMegabytes, recordsKilobytes]: AppSize): Item[] => {
  return [
    {
      path: `/app/example.${name}-1/base.apk`,
      apk: { program: name, versionCode: versionOf(seed), seed, bytes: programMegabytes * MiB },
      mode: 0o644,
      owner: [1000, 1000],
      label: 'u:object_r:apk_data_file:s0',
    },
    ...dataOf(`/data/example.${name}`, appId, [
      { path: '', directory: true, mode: 0o700 },
      { path: '/databases', directory: true, mode: 0o771 },
      {
        path: `/databases/${name}.db`,
        database: { seed: seed + 1, bytes: recordsKilobytes * 1024 },
        mode: 0o660,
      },
      { path: '/shared_prefs', directory: true, mode: 0o771 },
      { path: '/shared_prefs/settings.xml', text: settingsXml(seed), mode: 0o660 },
      { path: '/files', directory: true, mode: 0o771 },
      { path: '/files/newest.db', link: `../databases/${name}.db` },
      {
        path: '/files/draft.txt',
        text: `Draft ${seed}: high water at the sluice, wind from the west.\n`,
        mode: 0o600,
      },
      { path: '/lib', link: `/data/app/example.${name}-1/lib/arm64` },
    ]),
    ...dataOf(
      `/data/example.${name}/cache`,
      appId,
      [
        { path: '', directory: true, mode: 0o2771 },
        { path: '/tiles.bin', filler: { kind: 'program', seed: seed + 2, bytes: 96 * 1024 }, mode: 0o600 },
      ],
      cacheGroupOf({ user: 0, appId }),
    ),
    // What must be there before the owner unlocks the phone: alarms.
    ...dataOf(`/user_de/0/example.${name}`, appId, [
      { path: '', directory: true, mode: 0o700 },
      { path: '/shared_prefs', directory: true, mode: 0o771 },
      { path: '/shared_prefs/alarms.xml', text: settingsXml(seed + 3), mode: 0o660 },
    ]),
  ];
};

/** Files of an app, which are its own and nobody else's. */
const dataOf = (folder: string, appId: number, items: readonly Item[], group = appId): Item[] =>
  items.map((item) => ({
    ...item,
    path: `${folder}${item.path}`,
    owner: [appId, group],
    label: `u:object_r:app_data_file:s0:${categoriesOf({ user: 0, appId })}`,
  }));

const settingsXml = (seed: number) =>
  [
    "<?xml version='1.0' encoding='utf-8' standalone='yes' ?>",
    '<map>',
    '    <string name="station">Saltmere</string>',
    `    <int name="seed" value="${seed}" />`,
    '</map>',
    '',
  ].join('\n');

const photo = (n: number): Item => ({
  path: `/media/0/DCIM/Camera/hide-${String(n).padStart(3, '0')}.jpg`,
  filler: { kind: 'program', seed: 5000 + n, bytes: 2_400_000 + n * 31_337 },
  mode: 0o664,
  owner: [1023, 1023],
});

/** Where the wrapped key of encrypted user data lies on `metadata`. */
export const keyPath = '/vold/metadata_encryption/key/encrypted_key';
/** Where the phone keeps the keys of computers that it lets in over adb. */
export const adbKeysPath = '/misc/adb/adb_keys';

/** Rewritten in place when a computer is allowed, hence as long as it may become. */
const adbKeys: Item = { path: adbKeysPath, text: '\n'.repeat(4096), mode: 0o640, owner: [1000, 2000] };

type AppSize = readonly [
  name: ProgramName,
  appId: number,
  seed: number,
  programMegabytes: number,
  recordsKilobytes: number,
];

/** Versions run along with the seeds, so that a newer firmware's phone has newer apps. */
const versionOf = (seed: number) => Math.floor(seed / 100) + 9;
/** Hexadecimal milliseconds, as the list of packages has them. */
const installedAt = (seed: number, days: number) =>
  (Date.UTC(2026, 0, 3) + ((seed % 97) + days) * 86_400_000).toString(16);

/** What a system notes of its apps, and of which Android it is (AOSP frameworks/base, Settings.java). */
const packagesXml = (sdk: number, apps: readonly AppSize[]) =>
  [
    "<?xml version='1.0' encoding='utf-8' standalone='yes' ?>",
    '<packages>',
    `    <version sdkVersion="${sdk}" databaseVersion="3" />`,
    ...apps.map(
      ([name, appId, seed]) =>
        `    <package name="example.${name}" codePath="/data/app/example.${name}-1" publicFlags="945307204" privateFlags="0" ft="19c2d4f8e00" it="${installedAt(seed, 0)}" ut="${installedAt(seed, 40)}" version="${versionOf(seed)}" userId="${appId}" installer="example.shop"${sdk >= 34 ? ' updateOwner="example.shop"' : ''} />`,
    ),
    '</packages>',
    '',
  ].join('\n');

/** What the owner allowed: every permission but the last that an app asks for. */
const grantsXml = (apps: readonly AppSize[]) =>
  [
    "<?xml version='1.0' encoding='utf-8' standalone='yes' ?>",
    '<runtime-permissions>',
    ...apps.flatMap(([name]) => [
      `  <pkg name="example.${name}">`,
      ...programs[name].permissions.map(
        (each, i, all) =>
          `    <item name="android.permission.${each}" granted="${i < Math.max(1, all.length - 1)}" flags="300" />`,
      ),
      '  </pkg>',
    ]),
    '</runtime-permissions>',
    '',
  ].join('\n');

/** What ties the apps of a phone in use to it: as its owner set it, and as the system gave it. */
function homeItems(sdk: number, apps: readonly AppSize[]): Item[] {
  const owned = { mode: 0o600, owner: [1000, 1000] as const };
  const idOf = (seed: number) => (seed * 0x9e37_79b1).toString(16).padStart(16, '3').slice(-16);
  const names = apps.map(([name]) => `example.${name}`);
  const [first, second, third] = names;
  const lines = (root: string, attributes: string, rows: readonly string[]) =>
    [`<${root}${attributes}>`, ...rows.map((row) => `  ${row}`), `</${root}>`, ''].join('\n');
  const secure = {
    enabled_notification_listeners: second ? `${second}/${second}.Reader` : '',
    enabled_accessibility_services: third ? `${third}/${third}.Helper` : '',
    sms_default_application: 'example.messages',
  };
  return [
    {
      path: homeFiles.ids(),
      text: lines('settings', ' version="-1"', [
        `<setting id="0" name="userkey" value="${'C4'.repeat(32)}" package="android" defaultValue="${'C4'.repeat(32)}" defaultSysSet="true" />`,
        ...apps.map(
          ([name, appId, seed], i) =>
            `<setting id="${i + 1}" name="${appId}" value="${idOf(seed)}" package="example.${name}" defaultValue="${idOf(seed)}" defaultSysSet="true" />`,
        ),
      ]),
      ...owned,
    },
    {
      path: homeFiles.secure(),
      text: lines(
        'settings',
        ' version="170"',
        Object.entries(secure).map(
          ([name, value], i) => `<setting id="${i + 1}" name="${name}" value="${value}" package="android" />`,
        ),
      ),
      ...owned,
    },
    {
      path: homeFiles.ops,
      text: lines(
        'app-ops',
        ' v="1"',
        apps
          .slice(0, 2)
          .map(
            ([name, appId], i) =>
              `<pkg n="example.${name}"><uid n="${appId}" p="false"><op n="${i === 0 ? 26 : 70}" m="1" /></uid></pkg>`,
          ),
      ),
      ...owned,
    },
    {
      path: homeFiles.idle,
      text: lines(
        'config',
        '',
        names.slice(0, 1).map((name) => `<wl n="${name}" />`),
      ),
      ...owned,
    },
    ...(sdk >= 29 && first
      ? [
          {
            path: homeFiles.roles(sdk),
            text: lines('roles', ' version="1" packagesHash="0"', [
              `<role name="android.app.role.BROWSER"><holder name="${first}" /></role>`,
            ]),
            ...owned,
          },
        ]
      : []),
  ];
}

/** User data of a phone in use: apps, settings, and some photos on shared storage. @param sdk of its system */
export const userData = (sdk: number, apps: readonly AppSize[], photos: number): Item[] => [
  ...apps.flatMap(installed),
  { path: '/system/packages.xml', text: packagesXml(sdk, apps), mode: 0o660, owner: [1000, 1000] },
  {
    path: '/system/packages.list',
    text: apps
      .map(([name, appId]) => `example.${name} ${appId} 0 /data/user/0/example.${name} default none\n`)
      .join(''),
    mode: 0o640,
    owner: [1000, 1032],
  },
  {
    path: '/system/users/0/runtime-permissions.xml',
    text: grantsXml(apps),
    mode: 0o600,
    owner: [1000, 1000],
  },
  {
    path: '/system/users/0/settings_global.xml',
    text: '<settings version="170">\n  <setting id="1" name="adb_enabled" value="1" package="android" />\n</settings>\n',
    mode: 0o600,
    owner: [1000, 1000],
  },
  {
    path: '/system/starts.txt',
    text: `${'0'.repeat(11)}\n`.padEnd(4096, ' '),
    mode: 0o600,
    owner: [1000, 1000],
  },
  ...homeItems(sdk, apps),
  ...(apps.length > 0 ? recordItems(apps[0]![2], sdk, `example.${apps[0]![0]}`) : emptyProviders),
  adbKeys,
  ...sharedStorage(photos),
];

/** Photos and a download; of a phone as new, the empty folder. */
const sharedStorage = (photos: number): Item[] =>
  photos === 0
    ? [{ path: '/media/0', directory: true, mode: 0o770, owner: [1023, 1023] }]
    : [
        ...Array.from({ length: photos }, (_, i) => photo(i + 1)),
        {
          path: '/media/0/Download/species-list.csv',
          filler: { kind: 'records', seed: 5100, bytes: 700_000 },
          mode: 0o664,
          owner: [1023, 1023],
        },
      ];
