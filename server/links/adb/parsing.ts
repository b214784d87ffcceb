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
