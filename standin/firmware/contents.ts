import type { FillerKind } from './filler.ts';

/** One file, directory or link of a shipped file system. */
export interface Item {
  readonly path: string;
  readonly text?: string;
  readonly filler?: { readonly kind: FillerKind; readonly seed: number; readonly bytes: number };
  readonly link?: string;
  readonly directory?: true;
  /** Permission bits, octal. */
  readonly mode?: number;
  readonly owner?: readonly [uid: number, gid: number];
  /** SELinux label. */
  readonly label?: string;
}

export interface Template {
  readonly name: string;
  readonly megabytes: number;
  readonly volume: string;
  /** Reported by the superblock as the place of the last mount. */
  readonly lastMounted: string;
  readonly items: readonly Item[];
}

const MiB = 1024 * 1024;

interface Build {
  readonly id: string;
  readonly patch: string;
  readonly date: string;
  readonly rooted: boolean;
  readonly seed: number;
}

const builds: Readonly<Record<string, Build>> = {
  'system-january': {
    id: 'TW3.260105.002',
    patch: '2026-01-05',
    date: '1767571200',
    rooted: false,
    seed: 1000,
  },
  'system-march': { id: 'TW3.260301.004', patch: '2026-03-05', date: '1772323200', rooted: true, seed: 2000 },
};

const buildProp = ({ id, patch, date }: Build) =>
  [
    '# begin build properties',
    `ro.build.id=${id}`,
    `ro.build.display.id=TideOS 9 ${id}`,
    'ro.build.version.sdk=28',
    'ro.build.version.release=9',
    `ro.build.version.security_patch=${patch}`,
    'ro.build.type=user',
    'ro.build.tags=release-keys',
    `ro.build.date.utc=${date}`,
    `ro.build.fingerprint=Tidewell/knot3/knot3:9/${id}/1:user/release-keys`,
    'ro.product.brand=Tidewell',
    'ro.product.manufacturer=Tidewell',
    'ro.product.model=Knot 3',
    'ro.product.name=knot3',
    'ro.product.device=knot3',
    'ro.product.board=quern',
    'ro.product.cpu.abi=arm64-v8a',
    'ro.product.cpu.abilist=arm64-v8a,armeabi-v7a,armeabi',
    '# end build properties',
    '',
  ].join('\n');

const program = (path: string, seed: number, megabytes: number): Item => ({
  path,
  filler: { kind: 'program', seed, bytes: Math.round(megabytes * MiB) },
  mode: 0o644,
  label: 'u:object_r:system_file:s0',
});

/** Programs keep their bytes from one build to the next unless the build changed them. */
const systemItems = (build: Build): Item[] => [
  { path: '/build.prop', text: buildProp(build), mode: 0o600, label: 'u:object_r:system_file:s0' },
  program('/framework/framework.jar', 11, 14),
  program('/framework/services.jar', build.seed + 1, 5),
  program('/framework/framework-res.apk', 13, 9),
  program('/lib64/libart.so', 14, 7),
  program('/lib64/libhwui.so', 15, 4),
  program('/lib64/libc.so', 16, 1.2),
  program('/app/FerryTimes/FerryTimes.apk', 17, 6),
  program('/app/PocketAlmanac/PocketAlmanac.apk', 18, 8),
  program('/app/HideBooker/HideBooker.apk', build.seed + 2, 6),
  program('/priv-app/TideHome/TideHome.apk', 20, 11),
  program('/priv-app/TideSettings/TideSettings.apk', 21, 13),
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

const app = (
  name: string,
  appId: number,
  seed: number,
  programMegabytes: number,
  recordsKilobytes: number,
): Item[] => {
  const owner = [appId, appId] as const;
  const label = `u:object_r:app_data_file:s0:c${512 + (appId & 0xff)},c768`;
  return [
    { ...program(`/app/example.${name}-1/base.apk`, seed, programMegabytes), owner: [1000, 1000] },
    { path: `/data/example.${name}`, directory: true, mode: 0o700, owner, label },
    {
      path: `/data/example.${name}/databases/${name}.db`,
      filler: { kind: 'records', seed: seed + 1, bytes: recordsKilobytes * 1024 },
      mode: 0o660,
      owner,
      label,
    },
    {
      path: `/data/example.${name}/shared_prefs/settings.xml`,
      text: `<?xml version='1.0' encoding='utf-8' standalone='yes' ?>\n<map>\n    <string name="station">Saltmere</string>\n    <int name="seed" value="${seed}" />\n</map>\n`,
      mode: 0o660,
      owner,
      label,
    },
  ];
};

const photo = (n: number): Item => ({
  path: `/media/0/DCIM/Camera/hide-${String(n).padStart(3, '0')}.jpg`,
  filler: { kind: 'program', seed: 5000 + n, bytes: 2_400_000 + n * 31_337 },
  mode: 0o664,
  owner: [1023, 1023],
});

export const templates: readonly Template[] = [
  ...Object.entries(builds).map(([name, build]): Template => ({
    name,
    megabytes: 512,
    volume: 'system',
    lastMounted: '/system',
    items: systemItems(build),
  })),
  {
    name: 'userdata',
    megabytes: 1400,
    volume: 'data',
    lastMounted: '/data',
    items: [
      ...app('tidebook', 10061, 3100, 9, 2048),
      ...app('marshlog', 10062, 3200, 5, 1024),
      ...app('ringcode', 10063, 3300, 4, 512),
      {
        path: '/system/packages.list',
        text: ['tidebook 10061', 'marshlog 10062', 'ringcode 10063']
          .map(
            (line) =>
              `example.${line.split(' ')[0]} ${line.split(' ')[1]} 0 /data/user/0/example.${line.split(' ')[0]} default none\n`,
          )
          .join(''),
        mode: 0o640,
        owner: [1000, 1032],
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
      {
        path: '/misc/wifi/WifiConfigStore.xml',
        text: '<WifiConfigStoreData>\n  <string name="SSID">Saltmere-Hides</string>\n</WifiConfigStoreData>\n',
        mode: 0o600,
        owner: [1010, 1010],
      },
      ...[1, 2, 3, 4, 5, 6].map(photo),
      {
        path: '/media/0/Download/species-list.csv',
        filler: { kind: 'records', seed: 5100, bytes: 700_000 },
        mode: 0o664,
        owner: [1023, 1023],
      },
    ],
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
];
