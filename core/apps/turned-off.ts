import type { InstalledApp } from './facts.ts';

/** How an app that came with the system was turned off for its owner. */
export interface TurnedOff {
  readonly package: string;
  readonly label: string;
  readonly how: 'disabled' | 'removed';
}

type Known = Pick<InstalledApp, 'package' | 'isBuiltIn' | 'isEnabled' | 'isRemoved'>;

/** What came with the system and is off, of a phone's apps. */
export const turnedOffAmong = (apps: readonly (Known & { readonly label: string })[]): TurnedOff[] =>
  apps
    .filter(({ isBuiltIn, isEnabled, isRemoved }) => isBuiltIn && (isRemoved || !isEnabled))
    .map(({ package: name, label, isRemoved }) => ({
      package: name,
      label,
      how: isRemoved ? 'removed' : 'disabled',
    }));

/** What is to be done here so that the same is off as there. */
export interface SameOff {
  readonly disable: readonly string[];
  readonly remove: readonly string[];
  /** Labels of what is off here already. */
  readonly already: readonly string[];
  /** Labels of what this phone does not have. */
  readonly missing: readonly string[];
}

/** @param here apps of the phone that is to be like the other */
export function sameOff(here: readonly Known[], there: readonly TurnedOff[]): SameOff {
  const byName = new Map(here.map((app) => [app.package, app]));
  const found = {
    disable: [] as string[],
    remove: [] as string[],
    already: [] as string[],
    missing: [] as string[],
  };
  for (const { package: name, label, how } of there) {
    const app = byName.get(name);
    if (!app) found.missing.push(label);
    else if (app.isRemoved || (how === 'disabled' && !app.isEnabled)) found.already.push(label);
    else found[how === 'disabled' ? 'disable' : 'remove'].push(name);
  }
  return found;
}
