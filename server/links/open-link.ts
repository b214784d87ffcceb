import { AdbLink } from './adb/adb-link.ts';
import type { AdbCredentials } from './adb/connect.ts';
import { FastbootLink } from './fastboot/fastboot-link.ts';
import { LoaderLink } from './loader/loader-link.ts';
import type { PhoneLink } from './phone-link.ts';
import { NobodyThere } from '../failures.ts';
import type { SilenceLimit } from './silence.ts';

const linkAddress =
  /^(?:(?<kind>adb|fastboot|loader):)?(?<at>[A-Za-z0-9][A-Za-z0-9.-]{0,252}:(?<port>\d{1,5}))$/;

/** Whether a text is an address: `host:port` of an adb daemon, or with `fastboot:` or `loader:` before it. */
export function isLinkAddress(text: string): boolean {
  const port = Number(linkAddress.exec(text)?.groups!['port']);
  return port >= 1 && port <= 65_535;
}

/** Opens a link to an address. @throws PhoneFailure */
export function openLink(
  address: string,
  credentials: AdbCredentials,
  silence: SilenceLimit,
): Promise<PhoneLink> {
  if (!isLinkAddress(address))
    return Promise.reject(new NobodyThere(`${address} is not an address: write it as HOST:PORT.`));
  const { kind, at = '' } = linkAddress.exec(address)?.groups ?? {};
  if (kind === 'fastboot') return FastbootLink.open(at, silence);
  if (kind === 'loader') return LoaderLink.open(at, silence);
  return AdbLink.open(at, credentials, silence);
}
