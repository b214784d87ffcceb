import type { PhoneMode } from './modes.ts';

/** Keys to hold while the phone starts, by model (the makers of the demo scenario are invented). */
const byModel: Readonly<Record<string, Partial<Record<PhoneMode, string>>>> = {
  'Tidewell Knot 3': {
    recovery: 'Hold Power and Volume up until the mark appears, then let go of Power.',
    bootloader: 'Hold Power and Volume down until the mark appears.',
    system: 'Hold Power for ten seconds.',
  },
  'Tidewell Knot 5': {
    recovery: 'Hold Power and Volume up until the mark appears, then choose Recovery.',
    bootloader: 'Hold Power and Volume down until the mark appears.',
    system: 'Hold Power for ten seconds.',
  },
  'Marram Sedge 10': {
    recovery: 'Hold Power and Volume up until the reed appears.',
    bootloader: 'Hold Power and Volume down until the reed appears.',
    system: 'Hold Power for ten seconds.',
  },
  'Marram Reed 2': {
    recovery: 'Hold Power and Volume up until the reed appears.',
    bootloader: 'Hold Power and Volume down until the reed appears.',
    loader: 'Switch it off, hold both volume keys, and plug the cable in.',
    system: 'Hold Power for twelve seconds.',
  },
};

/** Most phones answer to these (common practice, no published source). */
const usual: Partial<Record<PhoneMode, string>> = {
  recovery: 'Hold Power and Volume up until the maker’s mark appears.',
  bootloader: 'Hold Power and Volume down until the maker’s mark appears.',
  system: 'Hold Power for ten seconds.',
};

/** How to get into a mode by hand when the phone cannot be commanded. */
export const keysFor = (maker: string, model: string, mode: PhoneMode): string | undefined =>
  byModel[`${maker} ${model}`]?.[mode] ?? usual[mode];

/** Every mode that keys lead into on a model, with the keys. */
export const keysOf = (maker: string, model: string): Partial<Record<PhoneMode, string>> => ({
  ...usual,
  ...byModel[`${maker} ${model}`],
});
