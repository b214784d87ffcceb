import type { AppFacts, InstalledApp } from './facts.ts';

/** What can be done to an app that came with the system, for its owner. */
export const appActions = ['disable', 'enable', 'remove', 'bring-back', 'take-back-update'] as const;
export type AppAction = (typeof appActions)[number];

/** How much the phone needs an app. */
export interface Need {
  /** `needed`: without it the phone does not start or cannot be used; `depended-on`: something else uses it. */
  readonly risk: 'needed' | 'depended-on' | 'none';
  readonly why: string;
}

/**
 * Apps that a system cannot do without, by the beginning of their names (Android, public documentation, and common
 * practice, no published source). The demo's are as invented as its apps.
 */
const needed: readonly (readonly [prefix: string, why: string])[] = [
  ['android', 'It is the system itself.'],
  ['com.android.systemui', 'It draws the screen: bars, lock screen, notifications.'],
  ['com.android.settings', 'Nothing could be set any more.'],
  ['com.android.phone', 'It is the telephone: without it no calls, not even in an emergency.'],
  ['com.android.providers.', 'It keeps records that the system and other apps read.'],
  ['com.android.packageinstaller', 'No app could be installed any more.'],
  ['com.android.permissioncontroller', 'No permission could be granted any more.'],
  ['com.android.webview', 'Many apps show their pages through it.'],
  ['example.tide.settings', 'Nothing could be set any more.'],
];

const duties: Readonly<Record<string, string>> = {
  home: 'home screen',
  keyboard: 'keyboard',
  dialer: 'telephone',
  messages: 'messages app',
};

/** How much the phone needs an app, from what is known and from what is installed besides. */
export function needOf(app: AppFacts, all: readonly AppFacts[]): Need {
  const known = needed.find(
    ([prefix]) => app.package === prefix || (prefix.endsWith('.') && app.package.startsWith(prefix)),
  );
  if (known) return { risk: 'needed', why: known[1] };
  const isAble = (each: AppFacts) => each !== app && each.isEnabled && !each.isRemoved;
  for (const duty of app.duties) {
    const name = duties[duty];
    if (!name || all.some((each) => isAble(each) && each.duties.includes(duty))) continue;
    return { risk: 'needed', why: `It is the only ${name} on the phone.` };
  }
  const sharers = all.filter(
    (each) => isAble(each) && app.sharedUserId && each.sharedUserId === app.sharedUserId,
  );
  if (sharers.length > 0)
    return {
      risk: 'depended-on',
      why: `It shares its user with ${sharers.map(({ label }) => label).join(', ')}.`,
    };
  const duty = app.duties.map((each) => duties[each]).find(Boolean);
  return duty
    ? { risk: 'depended-on', why: `It is a ${duty}; another one is there.` }
    : { risk: 'none', why: 'Nothing is known to need it.' };
}

/** Whether an action changes anything. */
export function applies(action: AppAction, app: AppFacts): boolean {
  switch (action) {
    case 'disable':
      return app.isEnabled && !app.isRemoved;
    case 'enable':
      return !app.isEnabled && !app.isRemoved;
    case 'remove':
      return !app.isRemoved;
    case 'bring-back':
      return app.isRemoved;
    case 'take-back-update':
      return hasUpdate(app) && !app.isRemoved;
  }
}

/** Whether an app that came with the system runs as a newer one, which lies in user data. */
export const hasUpdate = ({ isBuiltIn, codePath }: Pick<InstalledApp, 'isBuiltIn' | 'codePath'>): boolean =>
  isBuiltIn && codePath.startsWith('/data/');

/** Whether an action takes an app from the phone's owner. */
export const takesAway = (action: AppAction): boolean => action === 'disable' || action === 'remove';

/** Whether an action is to be done only where a copy brings back what it takes. */
export const needsCopy = (action: AppAction): boolean => takesAway(action) || action === 'take-back-update';

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
