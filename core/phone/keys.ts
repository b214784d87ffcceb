import type { PhoneMode } from './modes.ts';

/** Keys to hold while the phone starts, by model (the makers of the demo scenario are invented). */
const byModel: Readonly<Record<string, Partial<Record<PhoneMode, string>>>> = {
  'Tidewell Knot 3': {
    recovery: 'Hold Power and Volume up until the mark appears, then let go of Power.',
    system: 'Hold Power for ten seconds.',
  },
};

/** Most phones answer to these (common practice, no published source). */
const usual: Partial<Record<PhoneMode, string>> = {
  recovery: 'Hold Power and Volume up until the maker’s mark appears.',
  system: 'Hold Power for ten seconds.',
};

/** How to get into a mode by hand when the phone cannot be commanded. */
export const keysFor = (maker: string, model: string, mode: PhoneMode): string | undefined =>
  byModel[`${maker} ${model}`]?.[mode] ?? usual[mode];
