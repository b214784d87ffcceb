import type { PackageFacts } from '../formats/package-metadata/package-metadata.ts';
import type { PhoneMode } from './modes.ts';
import type { PhoneTools } from './survey.ts';
import type { ProofWay } from './proof-ways.ts';
import type { Role } from './roles.ts';

export type ConditionKind = 'stock' | 'rooted' | 'custom' | 'unknown';

/** A phone as it is known where it is not at hand. */
export interface NamedPhone {
  readonly serial: string;
  readonly maker: string;
  readonly model: string;
  readonly nickname: string;
}

/** What runs on the phone. A field is left out when this mode cannot tell. */
export interface Condition {
  readonly kind: ConditionKind;
  /** e.g. `9` */
  readonly androidVersion?: string;
  /** The build as the phone shows it, e.g. `TideOS 9 TW3.260301.004`. */
  readonly build?: string;
  readonly fingerprint?: string;
  /** `YYYY-MM-DD` */
  readonly patchLevel?: string;
  readonly bootloaderUnlocked?: boolean;
  readonly encrypted?: boolean;
  /** The slot that it started from. */
  readonly slot?: 'a' | 'b';
  /** What images of it say that they are for, where that is all there is to go by. */
  readonly product?: { readonly maker: string; readonly model: string };
  /** What the package of firmware says that its images came in. */
  readonly package?: PackageFacts;
  /** It knows its IMEI; undefined without a modem as well. */
  readonly hasImei?: boolean;
  /** `false`: its system did not start when that was last seen to be tried. */
  readonly starts?: false;
}

export interface Battery {
  readonly percent: number;
  readonly charging: boolean;
}

export interface PhoneFacts {
  readonly serial: string;
  readonly maker: string;
  readonly model: string;
  /** The name by which its maker builds for it, e.g. `knot3`. */
  readonly device?: string;
  /** Versions of what is below its system, where this mode tells them. */
  readonly versions?: { readonly bootloader?: string; readonly baseband?: string };
  readonly mode: PhoneMode;
  /** Android's API level, where its system runs. */
  readonly sdk?: number;
  /** Commands can run as root. */
  readonly root: boolean;
  readonly abis: readonly string[];
  readonly condition: Condition;
  /** How images are proved; left out where none are read. */
  readonly proof?: ProofWay;
  /** What its tools can do, where that was found out. */
  readonly tools?: PhoneTools;
  readonly battery?: Battery;
  /** What the bootloader tells of itself. */
  readonly variables?: Readonly<Record<string, string>>;
}

export interface PartitionFacts {
  readonly name: string;
  readonly role: Role;
  readonly bytes: number;
  readonly mount?: { readonly at: string; readonly writable: boolean };
  /** As `recognise` names it. */
  readonly fileSystem?: string;
  /** Files kept as an archive instead of a partition's bytes; `bytes` is then an upper bound. */
  readonly archive?: true;
  /** It lies within another partition, as logical ones do, and is read alone, not written. */
  readonly within?: string;
  /** Bytes in use where the file system says so. */
  readonly usedBytes?: number;
  /** What is wrong with it, as far as was looked, in a sentence. */
  readonly finding?: string;
}

/** Its maker's name for it and the versions below its system, by its properties (AOSP, init; `gsm.version.baseband`: telephony). */
export function makeFrom(
  properties: Readonly<Record<string, string>>,
): Pick<PhoneFacts, 'device' | 'versions'> {
  const device = properties['ro.product.device'];
  const bootloader = properties['ro.bootloader'] ?? properties['ro.boot.bootloader'];
  return namesOfMake(
    device,
    bootloader === 'unknown' ? undefined : bootloader,
    properties['gsm.version.baseband'],
  );
}

/** The same, by what a bootloader tells. */
export const namesOfMake = (
  device: string | undefined,
  bootloader: string | undefined,
  baseband: string | undefined,
): Pick<PhoneFacts, 'device' | 'versions'> => ({
  ...(device && { device }),
  ...((bootloader || baseband) && {
    versions: { ...(bootloader && { bootloader }), ...(baseband && { baseband }) },
  }),
});

/**
 * What runs on a phone, judged by its build properties.
 * @param properties `ro.*` of the running or installed system
 * @param root whether `su` was found; undefined when this mode cannot tell
 */
export function conditionFrom(
  properties: Readonly<Record<string, string>>,
  root: boolean | undefined,
): Condition {
  const text = (...names: string[]) => names.map((name) => properties[name]).find(Boolean);
  const androidVersion = text('ro.build.version.release');
  const build = text('ro.build.display.id');
  const fingerprint = text('ro.build.fingerprint');
  const patchLevel = text('ro.build.version.security_patch');
  const state = text('ro.boot.verifiedbootstate');
  const locked = text('ro.boot.flash.locked', 'ro.boot.vbmeta.device_state');
  const unlocked =
    state === 'orange' || locked === '0' || locked === 'unlocked'
      ? true
      : state !== undefined || locked !== undefined
        ? false
        : undefined;
  const crypto = text('ro.crypto.state');
  const slot = text('ro.boot.slot_suffix')?.replace('_', '');
  return {
    kind: kindOf(properties, androidVersion, root),
    ...(androidVersion && { androidVersion }),
    ...(build && { build }),
    ...(fingerprint && { fingerprint }),
    ...(patchLevel && { patchLevel }),
    ...(unlocked !== undefined && { bootloaderUnlocked: unlocked }),
    ...(crypto && { encrypted: crypto === 'encrypted' }),
    ...((slot === 'a' || slot === 'b') && { slot }),
  };
}

/** Makers sign releases with `release-keys`; community builds carry test or development keys. */
function kindOf(
  properties: Readonly<Record<string, string>>,
  androidVersion: string | undefined,
  root: boolean | undefined,
): ConditionKind {
  if (!androidVersion) return 'unknown';
  const tags = properties['ro.build.tags'];
  if (tags && tags !== 'release-keys') return 'custom';
  return root ? 'rooted' : 'stock';
}

/** The condition in a few words for labels: `rooted 9`, `stock 9, not starting`. */
export function conditionText({ kind, androidVersion, starts }: Condition): string {
  const words = kind === 'unknown' ? 'condition unknown' : `${kind} ${androidVersion ?? ''}`.trim();
  if (starts !== false) return words;
  return kind === 'unknown' ? 'not starting' : `${words}, not starting`;
}

/** The slot that a phone started from, or that its bootloader would start. */
export function activeSlotOf({ condition, variables }: PhoneFacts): 'a' | 'b' | undefined {
  const told = variables?.['current-slot']?.replace('_', '');
  return condition.slot ?? (told === 'a' || told === 'b' ? told : undefined);
}
