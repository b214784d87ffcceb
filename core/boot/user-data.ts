import { FormatError } from '../bytes/format-error.ts';
import type { ByteSource } from '../bytes/source.ts';
import { settingsText } from '../formats/abx/abx.ts';
import { openFileSystem } from '../formats/file-system/open.ts';

/** Where a system notes which Android its user data is of (AOSP frameworks/base, Settings.java). */
export const packagesPath = '/system/packages.xml';
/** Of a phone with very many apps. */
const mostBytes = 16 << 20;
const sdkMark = /<version\b[^>]*\bsdkVersion="(\d+)"/;

/** The SDK level that user data is of, by its list of packages; undefined where that does not say. */
export function sdkOfPackages(packages: string | undefined): number | undefined {
  const found = packages && sdkMark.exec(packages);
  return found ? Number(found[1]) : undefined;
}

/** Why a system does not go on with the user data that it finds; undefined when it does. */
export function userDataFault(
  dataSdk: number | undefined,
  properties: Readonly<Record<string, string>>,
): string | undefined {
  const sdk = Number(properties['ro.build.version.sdk']);
  if (dataSdk === undefined || !(dataSdk > sdk)) return undefined;
  return `user data is of a newer Android (SDK ${dataSdk}) than the system (SDK ${sdk}), which does not read it`;
}

/** The same of a partition; undefined where it cannot be looked into, as when it is encrypted. */
export async function sdkOfUserData(source: ByteSource | undefined): Promise<number | undefined> {
  if (!source) return undefined;
  try {
    const packages = await (await openFileSystem(source)).small(packagesPath, mostBytes);
    return sdkOfPackages(packages && settingsText(packages));
  } catch (error) {
    if (error instanceof FormatError) return undefined;
    throw error;
  }
}
