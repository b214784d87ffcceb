import { parseProperties } from '../../phone/facts.ts';

/** Where an update says what it is (AOSP, build/make, tools/releasetools/ota_utils.py, "metadata"). */
export const metadataPath = 'META-INF/com/android/metadata';
/** What a package of images asks of a phone (AOSP, fastboot, "android-info.txt"). */
export const requirementsName = 'android-info.txt';

/** What a package of firmware says of itself. */
export interface PackageFacts {
  /** Fingerprint of the build that it installs. */
  readonly build?: string;
  /** Devices that it is for, by the names that their makers gave them. */
  readonly devices: readonly string[];
  readonly patchLevel?: string;
  readonly sdk?: number;
  readonly madeAt?: Date;
  readonly isIncremental: boolean;
  readonly wipes: boolean;
  readonly isDowngrade: boolean;
  /** Versions of bootloader or radio that it asks for. */
  readonly requires: readonly { readonly what: string; readonly versions: readonly string[] }[];
}

/** Lines of `name=value`. */
export function readPackageMetadata(text: string): PackageFacts {
  const said = parseProperties(text);
  const seconds = Number(said['post-timestamp']);
  const sdk = Number(said['post-sdk-level']);
  return {
    ...(said['post-build'] && { build: said['post-build'] }),
    devices: said['pre-device']?.split(/[|,]/).filter(Boolean) ?? [],
    ...(said['post-security-patch-level'] && { patchLevel: said['post-security-patch-level'] }),
    ...(Number.isSafeInteger(sdk) && sdk > 0 && { sdk }),
    ...(Number.isSafeInteger(seconds) && seconds > 0 && { madeAt: new Date(seconds * 1000) }),
    isIncremental: said['pre-build'] !== undefined || said['pre-build-incremental'] !== undefined,
    wipes: said['ota-wipe'] === 'yes',
    isDowngrade: said['ota-downgrade'] === 'yes',
    requires: [],
  };
}

/** Lines of `require name=value|other`. */
export function readRequirements(text: string): PackageFacts {
  const requires: { what: string; versions: string[] }[] = [];
  const devices: string[] = [];
  for (const line of text.split('\n')) {
    const found = /^\s*require(?:-for-product:\S+)?\s+([\w-]+)\s*=\s*(.+?)\s*$/.exec(line);
    if (!found) continue;
    const values = found[2]!.split('|').map((value) => value.trim());
    if (found[1] === 'board' || found[1] === 'product') devices.push(...values);
    else requires.push({ what: found[1]!.replace(/^version-/, ''), versions: values });
  }
  return { devices, isIncremental: false, wipes: false, isDowngrade: false, requires };
}

/** What it says, a sentence each. */
export function packageText({
  build,
  devices,
  patchLevel,
  isIncremental,
  wipes,
  isDowngrade,
  requires,
}: PackageFacts): string[] {
  return [
    ...(build ? [`It installs ${build}${patchLevel ? `, of the security level ${patchLevel}` : ''}.`] : []),
    ...(devices.length > 0 ? [`It is for ${devices.join(' or ')}.`] : []),
    ...requires.map(({ what, versions }) => `It asks for ${what} ${versions.join(' or ')}.`),
    ...(isIncremental ? ['It is incremental: it needs the build that it was made from.'] : []),
    ...(wipes ? ['It erases user data.'] : []),
    ...(isDowngrade ? ['It installs an older build than the one that it was made for.'] : []),
  ];
}
