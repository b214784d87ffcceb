import { cacheGroupOf, categoriesOf } from '@keen-larder/core/apps/ids.ts';
import { firmwareBuilds, type FirmwareBuild } from './builds.ts';
import { notebookDatabase } from './database.ts';
import { filler } from './filler.ts';
import { recordDatabase, recordItems } from './records.ts';
import type { Item } from './item.ts';
import { programBytes, programs, type ProgramName } from './programs.ts';

/** Bytes that follow from a few numbers and are left out of the shipped image; undefined of any other item. */
export const madeBytes = ({ filler: made, apk, database, records }: Item): Buffer | undefined => {
  if (made) return filler(made.kind, made.seed, made.bytes);
  if (database) return notebookDatabase(database.seed, database.bytes);
  if (records) return recordDatabase(records.of, records.seed, records.sdk);
  return apk && programBytes(apk);
};

export interface Template {
  readonly name: string;
  readonly megabytes: number;
  readonly volume: string;
  /** Reported by the superblock as the place of the last mount. */
  readonly lastMounted: string;
  /** What Android's tools of 2023 make: checksums on all metadata, 64-bit descriptors. */
  readonly modern?: true;
  readonly items: readonly Item[];
}

const MiB = 1024 * 1024;

/** What a system says of itself. */
export const buildProp = ({ product, id, release, sdk, patch, date }: FirmwareBuild) =>
  [
    '# begin build properties',
    `ro.build.id=${id}`,
    `ro.build.display.id=TideOS ${release} ${id}`,
    `ro.build.version.sdk=${sdk}`,
    `ro.build.version.release=${release}`,
    `ro.build.version.security_patch=${patch}`,
    'ro.build.type=user',
    'ro.build.tags=release-keys',
    `ro.build.date.utc=${date}`,
    `ro.build.fingerprint=${product.maker}/${product.device}/${product.device}:${release}/${id}/1:user/release-keys`,
    `ro.product.brand=${product.maker}`,
    `ro.product.manufacturer=${product.maker}`,
    `ro.product.model=${product.model}`,
    `ro.product.name=${product.device}`,
    `ro.product.device=${product.device}`,
    'ro.product.board=quern',
    `ro.product.cpu.abi=${product.abis.split(',')[0]}`,
    `ro.product.cpu.abilist=${product.abis}`,
    '# end build properties',
    '',
  ].join('\n');

const program = (path: string, seed: number, megabytes: number): Item => ({
  path,
  filler: { kind: 'program', seed, bytes: Math.round(megabytes * MiB) },
  mode: 0o644,
  label: 'u:object_r:system_file:s0',
});

const builtInApp = (
  path: string,
  program: ProgramName,
  versionCode: number,
  seed: number,
  megabytes: number,
): Item => ({
  path: `/${path}.apk`,
  apk: { program, versionCode, seed, bytes: megabytes * MiB },
  mode: 0o644,
  label: 'u:object_r:system_file:s0',
});

/** Programs keep their bytes from one build to the next unless the build changed them. */
const systemItems = (build: FirmwareBuild): Item[] => [
  { path: '/build.prop', text: buildProp(build), mode: 0o600, label: 'u:object_r:system_file:s0' },
  program('/framework/framework.jar', 11, 14),
  program('/framework/services.jar', build.seed + 1, 5),
  program('/framework/framework-res.apk', 13, 9),
  program('/lib64/libart.so', 14, 7),
  program('/lib64/libhwui.so', 15, 4),
  program('/lib64/libc.so', 16, 1.2),
  builtInApp('app/FerryTimes/FerryTimes', 'ferrytimes', 23, 17, 6),
  builtInApp('app/PocketAlmanac/PocketAlmanac', 'pocketalmanac', 18, 18, 8),
  // Each build brings its own.
  builtInApp('app/HideBooker/HideBooker', 'hidebooker', 30 + build.seed / 1000, build.seed + 2, 6),
  builtInApp('priv-app/TideHome/TideHome', 'home', build.sdk, 20, 11),
  builtInApp('priv-app/TideSettings/TideSettings', 'settings', build.sdk, 21, 13),
  program('/media/bootanimation.zip', 22, 4),
  program('/fonts/Tide-Regular.ttf', 23, 0.6),
  { path: '/bin/sh', text: '#!/system/bin/sh\n', mode: 0o755, owner: [0, 2000] },
  {
    path: '/bin/toybox',
    filler: { kind: 'program', seed: 24, bytes: 420_000 },
    mode: 0o755,
    owner: [0, 2000],
  },
  { path: '/bin/dd', link: 'toybox' },
  { path: '/bin/ls', link: 'toybox' },
  { path: '/etc/hosts', text: '127.0.0.1       localhost\n::1             ip6-localhost\n' },
  { path: '/vendor', link: '/system/etc' },
  ...(build.rooted
    ? [
        {
          path: '/xbin/su',
          filler: { kind: 'program', seed: 25, bytes: 98_304 },
          mode: 0o6755,
        } satisfies Item,
      ]
    : []),
];

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

const systemMegabytes: Readonly<Record<string, number>> = {
  knot3: 512,
  knot5: 224,
  sedge10: 256,
  reed2: 256,
};

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
        `    <package name="example.${name}" codePath="/data/app/example.${name}-1" publicFlags="945307204" privateFlags="0" ft="19c2d4f8e00" it="${installedAt(seed, 0)}" ut="${installedAt(seed, 40)}" version="${versionOf(seed)}" userId="${appId}" installer="example.shop" />`,
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

/** User data of a phone in use: apps, settings, and some photos on shared storage. @param sdk of its system */
const userData = (sdk: number, apps: readonly AppSize[], photos: number): Item[] => [
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
  ...(apps.length > 0 ? recordItems(apps[0]![2], sdk) : []),
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

export const templates: readonly Template[] = [
  ...Object.entries(firmwareBuilds).map(([name, build]): Template => ({
    name,
    megabytes: systemMegabytes[build.product.device] ?? 256,
    volume: 'system',
    lastMounted: build.sdk >= 30 ? '/' : '/system',
    ...(build.sdk >= 34 && { modern: true }),
    items: systemItems(build),
  })),
  {
    name: 'userdata',
    megabytes: 1400,
    volume: 'data',
    lastMounted: '/data',
    items: userData(
      28,
      [
        ['tidebook', 10061, 3100, 9, 2048],
        ['marshlog', 10062, 3200, 5, 1024],
        ['ringcode', 10063, 3300, 4, 512],
      ],
      6,
    ),
  },
  {
    name: 'cache',
    megabytes: 96,
    volume: 'cache',
    lastMounted: '/cache',
    items: [
      {
        path: '/recovery/last_log',
        filler: { kind: 'records', seed: 6000, bytes: 180_000 },
        mode: 0o640,
        owner: [1000, 1000],
      },
      { path: '/backup', directory: true, mode: 0o700, owner: [1000, 2001] },
    ],
  },
  {
    name: 'efs',
    megabytes: 16,
    volume: 'efs',
    lastMounted: '/efs',
    items: [
      { path: '/imei/imei.bin', text: '350000000000000\n', mode: 0o600, owner: [1001, 1001] },
      { path: '/wifi/.mac.info', text: '02:00:5e:10:04:17\n', mode: 0o600, owner: [1000, 1001] },
      {
        path: '/nv_data.bin',
        filler: { kind: 'program', seed: 7000, bytes: 1_048_576 },
        mode: 0o600,
        owner: [1001, 1001],
      },
    ],
  },
  {
    name: 'persist',
    megabytes: 32,
    volume: 'persist',
    lastMounted: '/persist',
    items: [
      {
        path: '/sensors/calibration',
        filler: { kind: 'program', seed: 7100, bytes: 65_536 },
        mode: 0o600,
        owner: [1000, 1000],
      },
      { path: '/bluetooth/.bt_nv.bin', text: '02005E100418\n', mode: 0o600, owner: [1002, 1002] },
    ],
  },
  {
    name: 'knot5-product',
    megabytes: 48,
    volume: 'product',
    lastMounted: '/product',
    modern: true,
    items: [
      builtInApp('app/PocketAlmanacPlus/PocketAlmanacPlus', 'almanac', 19, 3301, 7),
      program('/media/audio/ringtones.bin', 3302, 9),
      { path: '/etc/build.prop', text: 'ro.product.product.model=Knot 5\n', mode: 0o600 },
    ],
  },
  {
    name: 'knot5-vendor',
    megabytes: 64,
    volume: 'vendor',
    lastMounted: '/vendor',
    modern: true,
    items: [
      program('/lib64/hw/gralloc.quern.so', 3401, 2),
      program('/firmware/radio.bin', 3402, 18),
      { path: '/build.prop', text: 'ro.vendor.build.security_patch=2026-09-05\n', mode: 0o600 },
    ],
  },
  {
    name: 'knot5-userdata',
    megabytes: 160,
    volume: 'data',
    lastMounted: '/data',
    modern: true,
    items: [
      ...userData(
        34,
        [
          ['tidebook', 10081, 3500, 5, 1024],
          ['harbourchat', 10082, 3510, 4, 2048],
          ['dunebank', 10083, 3520, 3, 128],
        ],
        2,
      ),
      // The bank's keys never leave the phone's hardware.
      {
        path: '/misc/keystore/persistent.sqlite',
        records: { of: 'keys', seed: 10083, sdk: 34 },
        mode: 0o600,
        owner: [1017, 1017],
      },
    ],
  },
  {
    name: 'knot5-metadata',
    megabytes: 16,
    volume: 'metadata',
    lastMounted: '/metadata',
    items: [
      { path: '/vold/metadata_encryption', directory: true, mode: 0o700 },
      { path: keyPath, filler: { kind: 'records', seed: 1, bytes: 4096 }, mode: 0o600 },
      { path: '/vold/metadata_encryption/key/version', text: '1', mode: 0o600 },
    ],
  },
  {
    name: 'sec_efs',
    megabytes: 16,
    volume: 'efs',
    lastMounted: '/mnt/vendor/efs',
    items: [
      { path: '/imei/imei.bin', text: '350000000000018\n', mode: 0o600, owner: [1001, 1001] },
      { path: '/nv_data.bin', filler: { kind: 'program', seed: 7201, bytes: 1_048_576 }, mode: 0o600 },
    ],
  },
  {
    name: 'sedge10-vendor',
    megabytes: 64,
    volume: 'vendor',
    lastMounted: '/vendor',
    items: [program('/lib/hw/gralloc.quern.so', 4401, 2), program('/firmware/wifi.bin', 4402, 6)],
  },
  {
    name: 'sedge10-userdata',
    megabytes: 384,
    volume: 'data',
    lastMounted: '/data',
    items: userData(30, [['almanac', 10041, 4500, 4, 256]], 3),
  },
  {
    name: 'reed2-userdata',
    megabytes: 320,
    volume: 'data',
    lastMounted: '/data',
    items: userData(
      30,
      [
        ['marshlog', 10051, 5500, 5, 1024],
        ['reedmessenger', 10052, 5510, 6, 512],
      ],
      4,
    ),
  },
  // What a factory reset leaves.
  ...(
    [
      ['knot3', 1400, 28],
      ['knot5', 160, 34],
      ['sedge10', 384, 30],
      ['reed2', 320, 30],
    ] as const
  ).map(([device, megabytes, sdk]): Template => ({
    name: `${device}-fresh`,
    megabytes,
    volume: 'data',
    lastMounted: '/data',
    ...(device === 'knot5' && { modern: true }),
    items: userData(sdk, [], 0),
  })),
  {
    name: 'nvdata',
    megabytes: 32,
    volume: 'nvdata',
    lastMounted: '/mnt/vendor/nvdata',
    items: [
      { path: '/md/NVRAM/NVD_IMEI/imei.bin', text: '350000000000026\n', mode: 0o660, owner: [0, 1000] },
      { path: '/APCFG/APRDEB/WIFI', filler: { kind: 'program', seed: 7301, bytes: 2048 }, mode: 0o660 },
    ],
  },
  {
    name: 'protect1',
    megabytes: 10,
    volume: 'protect_f',
    lastMounted: '/mnt/vendor/protect_f',
    items: [{ path: '/md/SIM_SETTING', filler: { kind: 'records', seed: 7302, bytes: 4096 }, mode: 0o660 }],
  },
];
