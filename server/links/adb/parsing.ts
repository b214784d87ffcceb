import type { Battery } from '@keen-larder/core/phone/facts.ts';

/** `name -> /dev/block/…` lines of `ls -l` on the by-name folder: partition name → device node. */
export function parseByName(listing: string): Map<string, string> {
  const found = new Map<string, string>();
  for (const match of listing.matchAll(/(\S+) -> (\/dev\/block\/\S+)\s*$/gm)) found.set(match[1]!, match[2]!);
  return found;
}

export interface MountLine {
  readonly device: string;
  readonly at: string;
  readonly fileSystem: string;
  readonly writable: boolean;
}

/** Lines of /proc/mounts. */
export function parseMounts(text: string): MountLine[] {
  return text
    .split('\n')
    .map((line) => line.split(' '))
    .filter((fields) => fields.length >= 4)
    .map(([device, at, fileSystem, options]) => ({
      device: device!,
      at: at!,
      fileSystem: fileSystem!,
      writable: options!.split(',').includes('rw'),
    }));
}

/** What `dumpsys battery` prints. */
export function parseDumpsysBattery(text: string): Battery | undefined {
  const number = (name: string) => {
    const match = new RegExp(`^\\s*${name}: (\\d+)`, 'm').exec(text);
    return match ? Number(match[1]) : undefined;
  };
  const level = number('level');
  if (level === undefined) return undefined;
  // Android's BatteryManager: 2 is charging, 5 is full.
  const charging = [2, 5].includes(number('status') ?? 0);
  return { percent: Math.round((level / (number('scale') ?? 100)) * 100), charging };
}

/** The kernel's power_supply files: capacity, then status. */
export function parseKernelBattery(text: string): Battery | undefined {
  const match = /^(\d{1,3})\s+(\w[\w ]*)/.exec(text.trim());
  return match ? { percent: Number(match[1]), charging: /^(Charging|Full)/.test(match[2]!) } : undefined;
}

/**
 * Whether the answer of `service call iphonesubinfo 1` holds an IMEI. The answer is a parcel in words of
 * 32 bits: no exception, the length of the text, the text in UTF-16 (AOSP, frameworks/native: Parcel.cpp).
 * @returns undefined when there is no such service, or it is not for us
 */
export function parseHasImei(text: string): boolean | undefined {
  const parcel = /^Result: Parcel\(([^]*)\)/m.exec(text)?.[1];
  const words = parcel
    ?.replace(/'[^'\n]*'/g, '')
    .replace(/0x[0-9a-f]{8}:/g, '')
    .match(/\b[0-9a-f]{8}\b/g)
    ?.map((word) => parseInt(word, 16));
  if (!words || words.length < 2 || words[0] !== 0) return undefined;
  const length = words[1]!;
  if (length === 0xffffffff || length === 0) return false;
  const units = words.slice(2).flatMap((word) => [word & 0xffff, word >>> 16]);
  return /^(?!0+$)\d{14,16}$/.test(String.fromCharCode(...units.slice(0, length)));
}
