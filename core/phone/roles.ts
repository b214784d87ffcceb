/** What a partition is for. */
export const roles = [
  'boot-chain',
  'system',
  'user-data',
  'identity',
  'radio',
  'early-loader',
  'scratch',
  'other',
] as const;
export type Role = (typeof roles)[number];

/** The product's two-letter code and its name in the interface. */
export const roleNames: Readonly<Record<Role, { code: string; name: string }>> = {
  'boot-chain': { code: 'BC', name: 'Boot chain' },
  system: { code: 'SY', name: 'System' },
  'user-data': { code: 'UD', name: 'User data' },
  identity: { code: 'ID', name: 'Identity' },
  radio: { code: 'RA', name: 'Radio' },
  'early-loader': { code: 'EL', name: 'Early loader' },
  scratch: { code: 'SC', name: 'Scratch' },
  other: { code: 'OT', name: 'Other' },
};

/** Usual partition names by role (common practice, no published source), without slot suffix. */
const usualNames: Readonly<Record<Exclude<Role, 'other'>, readonly string[]>> = {
  'early-loader': [
    'preloader',
    'mmcblk0boot0',
    'mmcblk0boot1',
    'xbl',
    'xbl_config',
    'sbl1',
    'abl',
    'aboot',
    'lk',
    'tee',
    'tz',
  ],
  'boot-chain': [
    'boot',
    'init_boot',
    'vendor_boot',
    'recovery',
    'dtbo',
    'vbmeta',
    'vbmeta_system',
    'vbmeta_vendor',
  ],
  system: ['super', 'system', 'system_ext', 'product', 'vendor', 'odm', 'vendor_dlkm'],
  'user-data': ['userdata', 'metadata'],
  identity: [
    'efs',
    'sec_efs',
    'modemst1',
    'modemst2',
    'fsg',
    'fsc',
    'nvram',
    'nvdata',
    'nvcfg',
    'protect1',
    'protect2',
    'persist',
    'proinfo',
  ],
  radio: ['modem', 'radio', 'dsp', 'bluetooth'],
  scratch: ['cache', 'misc'],
};

const roleByName = new Map<string, Role>(
  Object.entries(usualNames).flatMap(([role, names]) =>
    names.map((name): [string, Role] => [name, role as Role]),
  ),
);

/** Every usual name, for choosing from where a phone's own are not known. */
export const usualPartitions: readonly string[] = [...roleByName.keys()];

/** The order of roles, and of names within a role. */
export const byRole = (a: { role: Role; name: string }, b: { role: Role; name: string }): number =>
  roles.indexOf(a.role) - roles.indexOf(b.role) || (a.name < b.name ? -1 : a.name > b.name ? 1 : 0);

export interface SlottedName {
  /** Name without slot suffix. */
  readonly base: string;
  readonly slot: 'a' | 'b' | undefined;
}

/** Splits `boot_a` into its base name and slot. */
export function splitSlot(name: string): SlottedName {
  const match = /^(.+)_([ab])$/.exec(name);
  return match ? { base: match[1]!, slot: match[2] as 'a' | 'b' } : { base: name, slot: undefined };
}

/** A partition's fellow in a slot; itself where it has none, or where none is asked for. */
export function inSlot(name: string, slot: 'a' | 'b' | undefined): string {
  const { base, slot: own } = splitSlot(name);
  return own && slot ? `${base}_${slot}` : name;
}

/** Names of archives of files, beside those of partitions. */
const archiveNames: readonly string[] = ['userdata-files', 'shared-storage'];

/** The role of a partition by its name, with or without slot suffix, in any case; of an archive of files as well. */
export function roleOf(name: string): Role {
  const lower = name.toLowerCase();
  if (archiveNames.includes(lower)) return 'user-data';
  return roleByName.get(lower) ?? roleByName.get(splitSlot(lower).base) ?? 'other';
}

/** What the two copies of a disk's partition table are called as images: `gpt-primary`, `gpt-backup-sda`. */
export const tableImageName = (copy: 'primary' | 'backup', disk?: string): string =>
  `gpt-${copy}${disk ? `-${disk}` : ''}`;

/** Why a partition is listed and imaged, but never written; undefined when it may be. */
export function whyNeverWritten(name: string): string | undefined {
  if (splitSlot(name.toLowerCase()).base === 'frp') {
    return 'It guards the phone against theft.';
  }
  if (/^gpt-(primary|backup)(-|$)/.test(name)) {
    return 'It is the partition table, kept to tell what lay where.';
  }
  return undefined;
}

export const isNeverWritten = (name: string): boolean => whyNeverWritten(name) !== undefined;
