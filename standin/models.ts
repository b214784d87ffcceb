import { knot3, knot5, reed2, rush4, sedge10, type Product } from './firmware/builds.ts';
import type { MakerKey } from './firmware/verified-chain.ts';

/** A partition of a simulated model and what its flash leaves the works with. */
export interface PartitionPlan {
  readonly name: string;
  readonly kibibytes: number;
  readonly holds?:
    | { readonly template: string }
    /** The file system in ciphertext, its key on `metadata`. */
    | { readonly encrypted: string }
    | { readonly boot: 'boot' | 'recovery' }
    /** Part of a boot chain that is verified, taken from the build; written once, for slot a. */
    | { readonly chain: 'boot' | 'init_boot' | 'vendor_boot' | 'dtbo' | 'vbmeta' | 'vbmeta_system' }
    | {
        readonly logical: readonly {
          readonly name: string;
          readonly template?: string;
          readonly mebibytes: number;
        }[];
      }
    /** Metadata that signs for boot images of the model as they left the works. */
    | { readonly signs: readonly ('boot' | 'recovery')[] }
    /** A program; one that says which Android it belongs to begins with that. */
    | { readonly program: number; readonly seed: number; readonly says?: true };
}

/** What sets one simulated model apart from another. */
export interface Model {
  readonly product: Product;
  readonly chip: string;
  readonly sectorBytes: 512 | 4096;
  /** The kernel's name of the disk: eMMC or UFS. */
  readonly disk: 'mmcblk0' | 'sda';
  readonly partitions: readonly PartitionPlan[];
  /** A boot area of the flash outside its partition table. */
  readonly earlyLoader?: { readonly bytes: number; readonly program: number; readonly seed: number };
  /** Two slots, the active one named on `misc`. */
  readonly slots: boolean;
  readonly encrypted: boolean;
  /** As it leaves the works. */
  readonly bootloaderLocked: boolean;
  /** The key that its bootloader trusts. */
  readonly makerKey?: MakerKey;
  /** What its user data is after a factory reset. */
  readonly freshUserData: string;
  /** The recovery of the community gives root over adb; the maker's answers nothing. */
  readonly recoveryGivesRoot: boolean;
  /** Its processor answers to its built-in loader when the keys are held. */
  readonly hasLoader: boolean;
  /** Where the IMEI lies; none in a tablet without a modem. */
  readonly imei?: { readonly partition: string; readonly path: string };
}

const MiB = 1024;
const both = (name: string, kibibytes: number, holds?: PartitionPlan['holds']): PartitionPlan[] => [
  { name: `${name}_a`, kibibytes, ...(holds && { holds }) },
  { name: `${name}_b`, kibibytes, ...(holds && 'program' in holds && { holds }) },
];

/** Tidewell Knot 3: single slot, eMMC, 1 GiB in all. */
const knot3Model: Model = {
  product: knot3,
  chip: 'Quern Q58',
  sectorBytes: 512,
  disk: 'mmcblk0',
  slots: false,
  encrypted: false,
  bootloaderLocked: false,
  freshUserData: 'knot3-fresh',
  recoveryGivesRoot: true,
  hasLoader: false,
  imei: { partition: 'efs', path: '/imei/imei.bin' },
  partitions: [
    { name: 'sbl1', kibibytes: 1 * MiB, holds: { program: 280 * 1024, seed: 101 } },
    { name: 'aboot', kibibytes: 2 * MiB, holds: { program: 1100 * 1024, seed: 102 } },
    { name: 'tz', kibibytes: 2 * MiB, holds: { program: 900 * 1024, seed: 103 } },
    { name: 'modem', kibibytes: 32 * MiB, holds: { program: 12 * 1024 * 1024, seed: 104 } },
    { name: 'modemst1', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 105 } },
    { name: 'modemst2', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 106 } },
    { name: 'fsg', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 107 } },
    { name: 'efs', kibibytes: 16 * MiB, holds: { template: 'efs' } },
    { name: 'persist', kibibytes: 16 * MiB, holds: { template: 'persist' } },
    { name: 'misc', kibibytes: 1 * MiB },
    { name: 'frp', kibibytes: 512, holds: { program: 32, seed: 108 } },
    { name: 'devinfo', kibibytes: 1 * MiB, holds: { program: 4096, seed: 109 } },
    { name: 'logo', kibibytes: 8 * MiB, holds: { program: 620 * 1024, seed: 110 } },
    { name: 'boot', kibibytes: 16 * MiB, holds: { boot: 'boot' } },
    { name: 'recovery', kibibytes: 16 * MiB, holds: { boot: 'recovery' } },
    { name: 'cache', kibibytes: 32 * MiB, holds: { template: 'cache' } },
    { name: 'system', kibibytes: 96 * MiB, holds: { template: 'system' } },
    { name: 'userdata', kibibytes: 768 * MiB, holds: { template: 'userdata' } },
  ],
};

/** Tidewell Knot 5: two slots, logical partitions, verified boot, encrypted user data, UFS. */
const knot5Model: Model = {
  product: knot5,
  chip: 'Quern Q90',
  sectorBytes: 4096,
  disk: 'sda',
  slots: true,
  encrypted: true,
  bootloaderLocked: false,
  makerKey: 'tidewell',
  freshUserData: 'knot5-fresh',
  recoveryGivesRoot: true,
  hasLoader: false,
  imei: { partition: 'sec_efs', path: '/imei/imei.bin' },
  partitions: [
    ...both('xbl', 3 * MiB, { program: 900 * 1024, seed: 121 }),
    ...both('xbl_config', 512, { program: 64 * 1024, seed: 122 }),
    ...both('abl', 1 * MiB, { program: 260 * 1024, seed: 123 }),
    ...both('tz', 4 * MiB, { program: 2100 * 1024, seed: 124 }),
    ...both('modem', 24 * MiB, { program: 9 * 1024 * 1024, seed: 125 }),
    ...both('bluetooth', 1 * MiB, { program: 300 * 1024, seed: 126 }),
    { name: 'modemst1', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 127 } },
    { name: 'modemst2', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 128 } },
    { name: 'fsg', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 129 } },
    { name: 'sec_efs', kibibytes: 16 * MiB, holds: { template: 'sec_efs' } },
    { name: 'persist', kibibytes: 16 * MiB, holds: { template: 'persist' } },
    { name: 'misc', kibibytes: 1 * MiB },
    { name: 'frp', kibibytes: 512, holds: { program: 32, seed: 130 } },
    { name: 'devinfo', kibibytes: 512, holds: { program: 4096, seed: 131 } },
    ...both('boot', 16 * MiB, { chain: 'boot' }),
    ...both('init_boot', 8 * MiB, { chain: 'init_boot' }),
    ...both('vendor_boot', 8 * MiB, { chain: 'vendor_boot' }),
    ...both('dtbo', 4 * MiB, { chain: 'dtbo' }),
    ...both('vbmeta', 64, { chain: 'vbmeta' }),
    ...both('vbmeta_system', 64, { chain: 'vbmeta_system' }),
    { name: 'metadata', kibibytes: 16 * MiB, holds: { template: 'knot5-metadata' } },
    {
      name: 'super',
      kibibytes: 192 * MiB,
      holds: {
        logical: [
          { name: 'system_a', template: 'system', mebibytes: 96 },
          { name: 'product_a', template: 'knot5-product', mebibytes: 32 },
          { name: 'vendor_a', template: 'knot5-vendor', mebibytes: 40 },
          { name: 'system_b', mebibytes: 0 },
          { name: 'product_b', mebibytes: 0 },
          { name: 'vendor_b', mebibytes: 0 },
        ],
      },
    },
    { name: 'userdata', kibibytes: 112 * MiB, holds: { encrypted: 'knot5-userdata' } },
  ],
};

/** Marram Sedge 10: a tablet without a modem, another processor, nothing rooted. */
const sedge10Model: Model = {
  product: sedge10,
  chip: 'Quern Q34',
  sectorBytes: 512,
  disk: 'mmcblk0',
  slots: false,
  encrypted: false,
  bootloaderLocked: false,
  freshUserData: 'sedge10-fresh',
  recoveryGivesRoot: true,
  hasLoader: false,
  partitions: [
    { name: 'lk', kibibytes: 1 * MiB, holds: { program: 500 * 1024, seed: 141 } },
    { name: 'tee', kibibytes: 4 * MiB, holds: { program: 1200 * 1024, seed: 142 } },
    { name: 'persist', kibibytes: 16 * MiB, holds: { template: 'persist' } },
    { name: 'misc', kibibytes: 1 * MiB },
    { name: 'frp', kibibytes: 512, holds: { program: 32, seed: 143 } },
    { name: 'logo', kibibytes: 8 * MiB, holds: { program: 700 * 1024, seed: 144 } },
    { name: 'boot', kibibytes: 16 * MiB, holds: { boot: 'boot' } },
    { name: 'recovery', kibibytes: 16 * MiB, holds: { boot: 'recovery' } },
    { name: 'cache', kibibytes: 32 * MiB, holds: { template: 'cache' } },
    { name: 'vendor', kibibytes: 40 * MiB, holds: { template: 'sedge10-vendor' } },
    { name: 'system', kibibytes: 96 * MiB, holds: { template: 'system' } },
    { name: 'userdata', kibibytes: 256 * MiB, holds: { template: 'sedge10-userdata' } },
  ],
};

/** Marram Reed 2: locked, with an early loader region and a loader mode that reads it. */
const reed2Model: Model = {
  product: reed2,
  chip: 'Quern Q71',
  sectorBytes: 512,
  disk: 'mmcblk0',
  slots: false,
  encrypted: false,
  bootloaderLocked: true,
  makerKey: 'marram',
  freshUserData: 'reed2-fresh',
  recoveryGivesRoot: false,
  hasLoader: true,
  imei: { partition: 'nvdata', path: '/md/NVRAM/NVD_IMEI/imei.bin' },
  earlyLoader: { bytes: 4 << 20, program: 210 * 1024, seed: 160 },
  partitions: [
    { name: 'proinfo', kibibytes: 3 * MiB, holds: { program: 512, seed: 161 } },
    { name: 'nvram', kibibytes: 5 * MiB, holds: { program: 3 * 1024 * 1024, seed: 162 } },
    { name: 'nvdata', kibibytes: 16 * MiB, holds: { template: 'nvdata' } },
    { name: 'protect1', kibibytes: 10 * MiB, holds: { template: 'protect1' } },
    { name: 'lk', kibibytes: 1 * MiB, holds: { program: 480 * 1024, seed: 163, says: true } },
    { name: 'tee', kibibytes: 6 * MiB, holds: { program: 1300 * 1024, seed: 164 } },
    { name: 'modem', kibibytes: 32 * MiB, holds: { program: 11 * 1024 * 1024, seed: 165 } },
    { name: 'misc', kibibytes: 1 * MiB },
    { name: 'frp', kibibytes: 1 * MiB, holds: { program: 32, seed: 166 } },
    { name: 'logo', kibibytes: 8 * MiB, holds: { program: 500 * 1024, seed: 167 } },
    { name: 'boot', kibibytes: 16 * MiB, holds: { boot: 'boot' } },
    { name: 'recovery', kibibytes: 16 * MiB, holds: { boot: 'recovery' } },
    { name: 'vbmeta', kibibytes: 64, holds: { signs: ['boot', 'recovery'] } },
    { name: 'cache', kibibytes: 32 * MiB, holds: { template: 'cache' } },
    { name: 'system', kibibytes: 96 * MiB, holds: { template: 'system' } },
    { name: 'userdata', kibibytes: 192 * MiB, holds: { template: 'reed2-userdata' } },
  ],
};

/** Marram Rush 4: as plain as phones get. Locked, not rooted, encrypted, with logical partitions; its recovery answers nothing. */
const rush4Model: Model = {
  product: rush4,
  chip: 'Quern Q81',
  sectorBytes: 4096,
  disk: 'sda',
  slots: true,
  encrypted: true,
  bootloaderLocked: true,
  makerKey: 'marram',
  freshUserData: 'rush4-fresh',
  recoveryGivesRoot: false,
  hasLoader: false,
  imei: { partition: 'sec_efs', path: '/imei/imei.bin' },
  partitions: [
    ...both('xbl', 3 * MiB, { program: 880 * 1024, seed: 181 }),
    ...both('abl', 1 * MiB, { program: 250 * 1024, seed: 182 }),
    ...both('modem', 16 * MiB, { program: 7 * 1024 * 1024, seed: 183 }),
    { name: 'sec_efs', kibibytes: 16 * MiB, holds: { template: 'sec_efs' } },
    { name: 'persist', kibibytes: 16 * MiB, holds: { template: 'persist' } },
    { name: 'misc', kibibytes: 1 * MiB },
    { name: 'frp', kibibytes: 512, holds: { program: 32, seed: 184 } },
    { name: 'devinfo', kibibytes: 512, holds: { program: 4096, seed: 185 } },
    ...both('boot', 16 * MiB, { chain: 'boot' }),
    ...both('init_boot', 8 * MiB, { chain: 'init_boot' }),
    ...both('vendor_boot', 8 * MiB, { chain: 'vendor_boot' }),
    ...both('dtbo', 4 * MiB, { chain: 'dtbo' }),
    ...both('vbmeta', 64, { chain: 'vbmeta' }),
    ...both('vbmeta_system', 64, { chain: 'vbmeta_system' }),
    { name: 'metadata', kibibytes: 16 * MiB, holds: { template: 'knot5-metadata' } },
    {
      name: 'super',
      kibibytes: 168 * MiB,
      holds: {
        logical: [
          { name: 'system_a', template: 'system', mebibytes: 96 },
          { name: 'product_a', template: 'rush4-product', mebibytes: 24 },
          { name: 'vendor_a', template: 'rush4-vendor', mebibytes: 32 },
          { name: 'system_b', mebibytes: 0 },
          { name: 'product_b', mebibytes: 0 },
          { name: 'vendor_b', mebibytes: 0 },
        ],
      },
    },
    { name: 'userdata', kibibytes: 112 * MiB, holds: { encrypted: 'rush4-userdata' } },
  ],
};

export const models = {
  knot3: knot3Model,
  knot5: knot5Model,
  sedge10: sedge10Model,
  reed2: reed2Model,
  rush4: rush4Model,
} as const;

/** Which bootloader a model came with. */
export const bootloaderVersion = ({ chip }: Model): string => `${chip.replace(' ', '-')}-1.4`;
