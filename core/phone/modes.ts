/** What a phone is running. */
export const phoneModes = ['system', 'recovery', 'bootloader', 'loader'] as const;
export type PhoneMode = (typeof phoneModes)[number];

export interface ModeAbilities {
  readonly link: 'adb' | 'fastboot' | 'loader';
  /** Partitions can be read out. */
  readonly read: boolean;
  /** Every partition can be written. */
  readonly write: boolean;
  /** Apps and records can be reached. */
  readonly apps: boolean;
}

const abilities: Readonly<Record<PhoneMode, ModeAbilities>> = {
  system: { link: 'adb', read: true, write: false, apps: true },
  recovery: { link: 'adb', read: true, write: true, apps: false },
  bootloader: { link: 'fastboot', read: false, write: true, apps: false },
  loader: { link: 'loader', read: true, write: true, apps: false },
};

/**
 * What a mode allows on a phone.
 * @param root whether commands can run as root; without it adb in system mode neither reads nor writes
 */
export function abilitiesOf(mode: PhoneMode, root: boolean): ModeAbilities {
  const found = abilities[mode];
  return mode === 'system' && !root ? { ...found, read: false, apps: false } : found;
}

/** What a mode allows, in words: `partitions read only · apps and records read and write`. */
export function modeWords(mode: PhoneMode, root: boolean): string {
  if (mode === 'bootloader')
    return 'partitions write only, once it is unlocked · apps and records not reachable';
  const { read, write } = abilitiesOf(mode, root);
  const partitions = read ? (write ? 'read and write' : 'read only') : 'not readable without root';
  if (mode === 'system' && !root)
    return `partitions ${partitions} · of apps the programs and what they back up, of records what the system shares`;
  return `partitions ${partitions} · apps and records ${mode === 'system' ? 'read and write' : 'need system mode'}`;
}

/** Modes in which a phone that does not start may be repaired, the likeliest to work first. @param isLocked its bootloader */
export const modesToReach = (isLocked: boolean): readonly PhoneMode[] =>
  isLocked ? ['loader', 'recovery', 'bootloader', 'system'] : ['recovery', 'bootloader', 'loader', 'system'];

/** What a mode is good for on a phone. @param isLocked its bootloader */
export function modeUse(mode: PhoneMode, isLocked: boolean): string {
  if (isLocked && mode === 'recovery')
    return 'Locked, the phone runs only its maker’s recovery, which gives no root: it wipes user data and takes signed updates.';
  if (isLocked && mode === 'bootloader') return 'Locked, it only says what the phone is.';
  return modeUses[mode];
}

/** What each mode is good for, in a sentence. */
export const modeUses: Readonly<Record<PhoneMode, string>> = {
  system: 'Reads partitions and apps when it is rooted; what is in use may change while it is read.',
  recovery: 'Reads and writes every partition at rest, where the recovery gives root.',
  bootloader: 'Says what the phone is, and takes firmware when it is unlocked. It cannot read partitions.',
  loader: 'Reads and writes every partition and the early loader, also on a locked phone.',
};
