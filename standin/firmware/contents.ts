import { firmwareBuilds, knot5 } from './builds.ts';
import { notebookDatabase } from './database.ts';
import { filler } from './filler.ts';
import { recordDatabase } from './records.ts';
import type { Item } from './item.ts';
import { programBytes } from './programs.ts';
import { builtInApp, program, systemItems } from './system-contents.ts';
import { keyPath, userData } from './user-contents.ts';

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
  /** Read-only, as systems are shipped since Android 13 (AOSP, "EROFS"); else ext4. */
  readonly erofs?: true;
  /** As phones with flash of many erase blocks have user data (AOSP, fstab). */
  readonly f2fs?: true;
  readonly items: readonly Item[];
}

const systemMegabytes = 96;
const userDataMegabytes = { knot3: 768, knot5: 112, sedge10: 256, reed2: 192, rush4: 112 };

export const templates: readonly Template[] = [
  ...Object.entries(firmwareBuilds).map(([name, build]): Template => ({
    name,
    megabytes: systemMegabytes,
    volume: 'system',
    lastMounted: build.sdk >= 30 ? '/' : '/system',
    ...(build.sdk >= 34 && { modern: true }),
    ...(build.product === knot5 && { erofs: true }),
    items: systemItems(build),
  })),
  {
    name: 'userdata',
    megabytes: userDataMegabytes.knot3,
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
    megabytes: 32,
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
    megabytes: 16,
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
    megabytes: 32,
    volume: 'product',
    lastMounted: '/product',
    erofs: true,
    items: [
      builtInApp('app/PocketAlmanacPlus/PocketAlmanacPlus', 'almanac', 19, 3301, 7),
      program('/media/audio/ringtones.bin', 3302, 9),
      { path: '/etc/build.prop', text: 'ro.product.product.model=Knot 5\n', mode: 0o600 },
    ],
  },
  {
    name: 'knot5-vendor',
    megabytes: 40,
    volume: 'vendor',
    lastMounted: '/vendor',
    erofs: true,
    items: [
      program('/lib64/hw/gralloc.quern.so', 3401, 2),
      program('/firmware/radio.bin', 3402, 18),
      { path: '/build.prop', text: 'ro.vendor.build.security_patch=2026-09-05\n', mode: 0o600 },
    ],
  },
  {
    name: 'knot5-userdata',
    megabytes: userDataMegabytes.knot5,
    volume: 'data',
    lastMounted: '/data',
    f2fs: true,
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
    megabytes: 40,
    volume: 'vendor',
    lastMounted: '/vendor',
    items: [program('/lib/hw/gralloc.quern.so', 4401, 2), program('/firmware/wifi.bin', 4402, 6)],
  },
  {
    name: 'sedge10-userdata',
    megabytes: userDataMegabytes.sedge10,
    volume: 'data',
    lastMounted: '/data',
    items: userData(
      30,
      [
        ['almanac', 10041, 4500, 4, 256],
        ['reedmessenger', 10042, 4510, 3, 128],
      ],
      3,
    ),
  },
  {
    name: 'reed2-userdata',
    megabytes: userDataMegabytes.reed2,
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
  {
    name: 'rush4-product',
    megabytes: 24,
    volume: 'product',
    lastMounted: '/product',
    items: [
      program('/media/audio/ringtones.bin', 8302, 7),
      { path: '/etc/build.prop', text: 'ro.product.product.model=Rush 4\n', mode: 0o600 },
    ],
  },
  {
    name: 'rush4-vendor',
    megabytes: 32,
    volume: 'vendor',
    lastMounted: '/vendor',
    items: [
      program('/lib64/hw/gralloc.quern.so', 8401, 2),
      program('/firmware/radio.bin', 8402, 12),
      { path: '/build.prop', text: 'ro.vendor.build.security_patch=2026-08-05\n', mode: 0o600 },
    ],
  },
  {
    name: 'rush4-userdata',
    megabytes: userDataMegabytes.rush4,
    volume: 'data',
    lastMounted: '/data',
    items: userData(
      33,
      [
        ['harbourchat', 10091, 8500, 4, 1024],
        ['almanac', 10092, 8510, 4, 256],
        ['dunebank', 10093, 8520, 3, 128],
      ],
      5,
    ),
  },
  // What a factory reset leaves.
  ...(
    [
      ['knot3', 28],
      ['knot5', 34],
      ['sedge10', 30],
      ['reed2', 30],
      ['rush4', 33],
    ] as const
  ).map(([device, sdk]): Template => ({
    name: `${device}-fresh`,
    megabytes: userDataMegabytes[device],
    volume: 'data',
    lastMounted: '/data',
    ...(device === 'knot5' && { f2fs: true }),
    items: userData(sdk, [], 0),
  })),
  {
    name: 'nvdata',
    megabytes: 16,
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
