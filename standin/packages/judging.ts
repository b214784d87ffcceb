import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { readApk, type Apk } from '@keen-larder/core/formats/apk/apk.ts';
import type { ShellHost } from '../shell/host.ts';
import type { Installed } from './installed.ts';

/** The package manager refuses; the message is its own constant (AOSP, PackageManager.INSTALL_FAILED_…). */
export class Refused extends Error {}

export interface InstallOptions {
  readonly user: number;
  readonly installer?: string | undefined;
  readonly ownsUpdates?: boolean;
  readonly mayReplace: boolean;
  readonly mayDowngrade: boolean;
}

/** @throws Refused */
export async function parsed(bytes: Buffer): Promise<Apk> {
  try {
    const apk = await readApk(memorySource(bytes));
    if (!apk.signing) throw new Refused('Failure [INSTALL_PARSE_FAILED_NO_CERTIFICATES]');
    return apk;
  } catch (error) {
    if (error instanceof FormatError)
      throw new Refused(`Failure [INSTALL_PARSE_FAILED_NOT_APK: ${error.message}]`);
    throw error;
  }
}

/** Whether a program may come in the place of what is there. @throws Refused */
export function judge(
  { properties }: ShellHost,
  apk: Apk,
  present: Installed | undefined,
  options: InstallOptions,
): void {
  const sdk = Number(properties['ro.build.version.sdk']);
  const abis = (properties['ro.product.cpu.abilist'] ?? '').split(',');
  if ((apk.minSdk ?? 1) > sdk)
    throw new Refused(
      `Failure [INSTALL_FAILED_OLDER_SDK: Requires newer sdk version #${apk.minSdk} (current version is #${sdk})]`,
    );
  if (apk.abis.length > 0 && !apk.abis.some((abi) => abis.includes(abi)))
    throw new Refused(
      'Failure [INSTALL_FAILED_NO_MATCHING_ABIS: Failed to extract native libraries, res=-113]',
    );
  if (!present) return;
  if (!options.mayReplace) throw new Refused('Failure [INSTALL_FAILED_ALREADY_EXISTS]');
  const signers = (each: Apk) => [...(each.signing?.certificates ?? [])].sort().join();
  if (signers(apk) !== signers(present.apk))
    throw new Refused(
      `Failure [INSTALL_FAILED_UPDATE_INCOMPATIBLE: Package ${apk.package} signatures do not match previously installed version; ignoring!]`,
    );
  if (apk.versionCode < present.apk.versionCode && !options.mayDowngrade)
    throw new Refused('Failure [INSTALL_FAILED_VERSION_DOWNGRADE]');
}
