import { AdbLink } from './adb/adb-link.ts';
import type { AdbCredentials } from './adb/connect.ts';
import { FastbootLink } from './fastboot/fastboot-link.ts';
import { LoaderLink } from './loader/loader-link.ts';
import type { PhoneLink } from './phone-link.ts';
import type { SilenceLimit } from './silence.ts';

/** `host:port` of an adb daemon, or with `fastboot:` or `loader:` before it. */
export const linkAddress = /^(?:(adb|fastboot|loader):)?([A-Za-z0-9.-]+:\d{1,5})$/;

/** Opens a link to an address, as `linkAddress` has it. */
export function openLink(
  address: string,
  credentials: AdbCredentials,
  silence: SilenceLimit,
): Promise<PhoneLink> {
  const [, kind, where] = linkAddress.exec(address) ?? [];
  const at = where ?? address;
  if (kind === 'fastboot') return FastbootLink.open(at, silence);
  if (kind === 'loader') return LoaderLink.open(at, silence);
  return AdbLink.open(at, credentials, silence);
}
