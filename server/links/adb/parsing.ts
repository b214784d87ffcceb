import { lineMatches, linesOf } from '@keen-larder/core/bytes/lines.ts';
import type { Battery } from '@keen-larder/core/phone/facts.ts';

/** `name -> /dev/block/…` lines of `ls -l` on the by-name folder: partition name → device node. */
export function parseByName(listing: string): Map<string, string> {
  const found = new Map<string, string>();
  for (const line of linesOf(listing)) {
    const arrow = line.lastIndexOf(' -> ');
    const name = line.slice(line.lastIndexOf(' ', arrow - 1) + 1, Math.max(0, arrow));
    const node = line.slice(arrow + 4).trim();
    if (arrow > 0 && name !== '' && /^\/dev\/block\/\S+$/.test(node)) found.set(name, node);
  }
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
  return [...linesOf(text)]
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
  const numbers = new Map<string, number>();
  for (const [, name, value] of lineMatches(text, /^\s*(\w+): (\d+)/))
    if (!numbers.has(name!)) numbers.set(name!, Number(value));
  const number = (name: string) => numbers.get(name);
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

/** A parcel with an IMEI takes some hundred characters. */
const mostParcelChars = 4096;
const parcelMark = 'Result: Parcel(';

/**
 * Whether the answer of `service call iphonesubinfo 1` holds an IMEI. The answer is a parcel in words of
 * 32 bits: no exception, the length of the text, the text in UTF-16 (AOSP, frameworks/native: Parcel.cpp).
 * @returns undefined when there is no such service, or it is not for us
 */
export function parseHasImei(text: string): boolean | undefined {
  const at = `\n${text}`.indexOf(`\n${parcelMark}`);
  if (at < 0) return undefined;
  const parcel = text.slice(at + parcelMark.length, at + mostParcelChars);
  const words = parcel
    .replace(/'[^'\n]*'/g, '')
    .replace(/0x[0-9a-f]{8}:/g, '')
    .match(/\b[0-9a-f]{8}\b/g)
    ?.map((word) => parseInt(word, 16));
  if (!words || words.length < 2 || words[0] !== 0) return undefined;
  const length = words[1]!;
  if (length === 0xffffffff || length === 0) return false;
  const units = words.slice(2).flatMap((word) => [word & 0xffff, word >>> 16]);
  return /^(?!0+$)\d{14,16}$/.test(String.fromCharCode(...units.slice(0, length)));
}
