import type { FirmwareBuild } from './builds.ts';
import type { Item } from './item.ts';
import type { ProgramName } from './programs.ts';

const MiB = 1024 * 1024;

/** What a system says of itself. */
export function buildProp(build: FirmwareBuild): string {
  const { product, id, release, sdk, patch, date, communitySystem } = build;
  const tags = communitySystem ? 'test-keys' : 'release-keys';
  return [
    '# begin build properties',
    `ro.build.id=${id}`,
    `ro.build.display.id=${communitySystem ?? 'TideOS'} ${release} ${id}`,
    `ro.build.version.sdk=${sdk}`,
    `ro.build.version.release=${release}`,
    `ro.build.version.security_patch=${patch}`,
    'ro.build.type=user',
    `ro.build.tags=${tags}`,
    `ro.build.date.utc=${date}`,
    `ro.build.fingerprint=${product.maker}/${product.device}/${product.device}:${release}/${id}/1:user/${tags}`,
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
}

export const program = (path: string, seed: number, megabytes: number): Item => ({
  path,
  filler: { kind: 'program', seed, bytes: Math.round(megabytes * MiB) },
  mode: 0o644,
  label: 'u:object_r:system_file:s0',
});

export const builtInApp = (
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
export const systemItems = (build: FirmwareBuild): Item[] => [
  { path: '/build.prop', text: buildProp(build), mode: 0o600, label: 'u:object_r:system_file:s0' },
  program('/framework/framework.jar', 11, 8),
  program('/framework/services.jar', build.seed + 1, 3),
  program('/framework/framework-res.apk', 13, 5),
  program('/lib64/libart.so', 14, 4),
  program('/lib64/libhwui.so', 15, 3),
  program('/lib64/libc.so', 16, 1.2),
  builtInApp('app/FerryTimes/FerryTimes', 'ferrytimes', 23, 17, 4),
  builtInApp('app/PocketAlmanac/PocketAlmanac', 'pocketalmanac', 18, 18, 5),
  // Each build brings its own.
  builtInApp('app/HideBooker/HideBooker', 'hidebooker', 30 + build.seed / 1000, build.seed + 2, 4),
  builtInApp('priv-app/TideHome/TideHome', 'home', build.sdk, 20, 6),
  builtInApp('priv-app/TideSettings/TideSettings', 'settings', build.sdk, 21, 7),
  program('/media/bootanimation.zip', 22, 3),
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
