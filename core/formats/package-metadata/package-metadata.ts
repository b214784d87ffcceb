import { linesOf, plainText } from '../../bytes/lines.ts';
import { parseProperties } from '../../phone/properties.ts';

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
  /** ISO 8601, UTC. */
  readonly madeAt?: string;
  readonly isIncremental: boolean;
  readonly wipes: boolean;
  readonly isDowngrade: boolean;
  /** Versions of bootloader or radio that it asks for. */
  readonly requires: readonly { readonly what: string; readonly versions: readonly string[] }[];
}

/** Devices, or versions, that one package may name: it stays beside the set. */
const mostSaid = 100;

const namesIn = (text: string): string[] =>
  text
    .split(/[|,]/)
    .map((name) => plainText(name))
    .filter(Boolean)
    .slice(0, mostSaid);

/** Lines of `name=value`. */
export function readPackageMetadata(text: string): PackageFacts {
  const said = parseProperties(text);
  const seconds = Number(said['post-timestamp']);
  const sdk = Number(said['post-sdk-level']);
  return {
    ...(said['post-build'] && { build: said['post-build'] }),
    devices: namesIn(said['pre-device'] ?? ''),
    ...(said['post-security-patch-level'] && { patchLevel: said['post-security-patch-level'] }),
    ...(Number.isSafeInteger(sdk) && sdk > 0 && { sdk }),
    ...(Number.isSafeInteger(seconds) && seconds > 0 && { madeAt: new Date(seconds * 1000).toISOString() }),
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
  for (const line of linesOf(text)) {
    const found = /^\s*require(?:-for-product:\S+)?\s+([\w-]+)\s*=\s*(.+?)\s*$/.exec(line);
    if (!found) continue;
    const values = namesIn(found[2]!);
    if (found[1] === 'board' || found[1] === 'product') devices.push(...values);
    else if (requires.length < mostSaid)
      requires.push({ what: found[1]!.replace(/^version-/, ''), versions: values });
  }
  return {
    devices: devices.slice(0, mostSaid),
    isIncremental: false,
    wipes: false,
    isDowngrade: false,
    requires,
  };
}

const areTexts = (value: unknown): boolean =>
  Array.isArray(value) && value.length <= mostSaid && value.every((each) => typeof each === 'string');

/** Whether something that was read from a file has the shape of what `readPackageMetadata` gives. */
export function arePackageFacts(value: unknown): value is PackageFacts {
  if (typeof value !== 'object' || value === null) return false;
  const { devices, requires, build, patchLevel, sdk, madeAt, ...flags } = value as Record<string, unknown>;
  return (
    areTexts(devices) &&
    Array.isArray(requires) &&
    requires.length <= mostSaid &&
    requires.every(
      (each: Record<string, unknown> | null) =>
        typeof each?.['what'] === 'string' && areTexts(each['versions']),
    ) &&
    [build, patchLevel, madeAt].every((each) => each === undefined || typeof each === 'string') &&
    (sdk === undefined || Number.isSafeInteger(sdk)) &&
    ['isIncremental', 'wipes', 'isDowngrade'].every((name) => typeof flags[name] === 'boolean')
  );
}

/** What the same package says in several places, as one. */
export function mergedPackages(all: readonly PackageFacts[]): PackageFacts | undefined {
  if (all.length === 0) return undefined;
  const said = Object.assign({}, ...all) as PackageFacts;
  return {
    ...said,
    devices: [...new Set(all.flatMap(({ devices }) => devices))],
    isIncremental: all.some(({ isIncremental }) => isIncremental),
    wipes: all.some(({ wipes }) => wipes),
    isDowngrade: all.some(({ isDowngrade }) => isDowngrade),
    requires: all.flatMap(({ requires }) => requires),
  };
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
