import { activeSlot, isUnbootable } from '@keen-larder/core/boot/boot.ts';
import { isLocked } from '../boot/start.ts';
import type { Flash } from '../flash/flash.ts';
import { bootloaderVersion, type Model } from '../models.ts';

/** What the bootloader sees of the phone. */
export interface BootloaderHost {
  readonly serial: string;
  readonly model: Model;
  readonly flash: Flash;
  battery(): { readonly percent: number; readonly charging: boolean };
  /** Resolves to whether it was done, which somebody at the phone decides. */
  setLocked(locked: boolean): Promise<boolean>;
  reboot(into: string): void;
}

/** The most that one download may be: little, as on cheap phones, so that large images go in pieces. */
export const maxDownloadBytes = 24 << 20;
/** A lithium cell from empty to full, in millivolts; from memory. */
const volts = { empty: 3400, full: 4350 };
const hexadecimal = (value: number) => `0x${value.toString(16)}`;
const yes = (is: boolean) => (is ? 'yes' : 'no');

const variables: Readonly<Record<string, (host: BootloaderHost) => string | Promise<string>>> = {
  version: () => '0.4',
  'version-bootloader': ({ model }) => bootloaderVersion(model),
  product: ({ model }) => model.product.device,
  serialno: ({ serial }) => serial,
  secure: ({ flash, model }) => yes(isLocked(flash, model)),
  unlocked: ({ flash, model }) => yes(!isLocked(flash, model)),
  'slot-count': ({ model }) => (model.slots ? '2' : '0'),
  'current-slot': async ({ model, flash }) => {
    const misc = flash.partition('misc');
    return model.slots && misc ? activeSlot(misc) : '';
  },
  'max-download-size': () => hexadecimal(maxDownloadBytes),
  'battery-soc': (host) => String(host.battery().percent),
  'battery-soc-ok': (host) => yes(host.battery().percent >= 20),
  'battery-voltage': (host) =>
    String(Math.round(volts.empty + ((volts.full - volts.empty) * host.battery().percent) / 100)),
};

/** Names of all variables, those of partitions included. */
export function variableNames({ flash, model }: BootloaderHost): string[] {
  const names = flash.list().map(({ name }) => name);
  return [
    ...Object.keys(variables).filter((name) => model.slots || name !== 'current-slot'),
    ...(model.slots ? ['slot-unbootable:a', 'slot-unbootable:b'] : []),
    ...names.map((name) => `partition-size:${name}`),
    ...[...new Set(names.map((name) => name.replace(/_[ab]$/, '')))].map((name) => `has-slot:${name}`),
  ];
}

/** A variable's value; undefined when this bootloader has none of that name. */
export async function variableOf(host: BootloaderHost, name: string): Promise<string | undefined> {
  const plain = Object.hasOwn(variables, name) ? variables[name] : undefined;
  if (plain) return plain(host);
  const [kind, partition = ''] = name.split(':');
  if (kind === 'partition-size') {
    const device = host.flash.partition(partition);
    return device && hexadecimal(device.bytes);
  }
  if (kind === 'slot-unbootable') {
    const misc = host.flash.partition('misc');
    const isSlot = host.model.slots && (partition === 'a' || partition === 'b');
    return misc && isSlot ? yes(await isUnbootable(misc, partition)) : undefined;
  }
  if (kind === 'has-slot') {
    const names = host.flash.list().map((each) => each.name);
    if (names.includes(`${partition}_a`)) return 'yes';
    return names.includes(partition) ? 'no' : undefined;
  }
  return undefined;
}
