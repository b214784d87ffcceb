import type { CopiedApp } from '@keen-larder/core/apps/copies.ts';
import { languagesFrom, rolesFrom, type AppHome } from '@keen-larder/core/apps/home/home.ts';
import {
  androidIdsIn,
  componentsIn,
  packageOfComponent,
  rolesIn,
  widgetsIn,
} from '@keen-larder/core/apps/home/reading.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { PhoneRefusal } from '../../../failures.ts';
import type { HomeWork } from '../../../links/app-access.ts';
import type { PhoneLink } from '../../../links/phone-link.ts';
import type { Run } from '../../engine/live-run.ts';

const listenersSetting = 'enabled_notification_listeners';
const accessibilitySetting = 'enabled_accessibility_services';
/** Of a phone without roles (AOSP, Settings.Secure). */
const defaultsSettings = { SMS: 'sms_default_application', DIALER: 'dialer_default_application' } as const;

/** Files of the system's (AOSP): ids of apps, widgets, and roles, which moved with Android 11. */
/** Of a user. */
export const idsFolderOf = (user: number): string => `/data/system/users/${user}`;
export const idsName = 'settings_ssaid.xml';
const widgetsPath = (user: number) => `/data/system/users/${user}/appwidgets.xml`;
const rolesPaths = (user: number) => [
  `/data/misc_de/${user}/apexdata/com.android.permission/roles.xml`,
  `/data/system/users/${user}/roles.xml`,
];

/** What ties some apps to a phone, by package; what it does not tell is left out. */
export async function readHomes(
  { home, files, user }: PhoneLink,
  names: readonly string[],
  sdk: number | undefined,
): Promise<Map<string, AppHome>> {
  if (!home || names.length === 0) return new Map();
  const componentsOf = async (setting: string) => {
    const value = await home.setting(setting);
    return value === undefined ? undefined : componentsIn(value);
  };
  const listeners = await componentsOf(listenersSetting);
  const accessibility = await componentsOf(accessibilitySetting);
  const exempt = await home.exempt();
  const idsFile = await files?.text(`${idsFolderOf(user)}/${idsName}`);
  const ids = idsFile === undefined ? undefined : androidIdsIn(idsFile);
  // A home screen without any has no such file.
  const widgets = files && widgetsIn((await files.text(widgetsPath(user))) ?? '');
  const roles = await rolesOf(home, files, user, sdk);
  const own = (components: readonly string[] | undefined, name: string) =>
    components?.filter((each) => packageOfComponent(each) === name);
  const found = new Map<string, AppHome>();
  const ops = await home.ops(names);
  const hasLanguages = sdk !== undefined && sdk >= languagesFrom;
  const languages = hasLanguages ? await home.languages(names) : undefined;
  for (const name of names)
    found.set(name, {
      ops: ops.get(name),
      androidId: ids && (ids.get(name)?.id ?? ''),
      roles: roles && (roles.get(name) ?? []),
      listeners: own(listeners, name),
      accessibility: own(accessibility, name),
      isExempt: exempt?.has(name),
      // Before there were any, an app has none.
      languages: sdk !== undefined && !hasLanguages ? '' : languages?.get(name),
      widgets: widgets && (widgets.get(name) ?? 0),
    });
  return found;
}

/** Who holds which role; undefined where it is not told. */
async function rolesOf(
  home: HomeWork,
  files: PhoneLink['files'],
  user: number,
  sdk: number | undefined,
): Promise<ReadonlyMap<string, readonly string[]> | undefined> {
  if (sdk === undefined || sdk >= rolesFrom) {
    for (const path of rolesPaths(user)) {
      const text = await files?.text(path);
      if (text !== undefined) return rolesIn(text);
    }
    return undefined;
  }
  const found = new Map<string, string[]>();
  for (const [role, setting] of Object.entries(defaultsSettings)) {
    const holder = await home.setting(setting);
    if (holder === undefined) return undefined;
    if (holder !== '') found.set(holder, [...(found.get(holder) ?? []), role]);
  }
  return found;
}

/** One thing to be set, and whether it came to be so. */
interface Tie {
  readonly what: string;
  set(home: HomeWork): Promise<void>;
  isSo(now: AppHome): boolean;
}

function tiesOf({ package: name, home: kept }: CopiedApp, now: AppHome, sdk: number | undefined): Tie[] {
  if (!kept) return [];
  const ties: Tie[] = [];
  for (const [op, mode] of Object.entries(kept.ops ?? {}))
    ties.push({
      what: op,
      set: (home) => home.setOp(name, op, mode),
      isSo: ({ ops }) => ops?.[op] === mode,
    });
  for (const component of kept.listeners ?? [])
    ties.push({
      what: 'reading notifications',
      set: (home) => home.allowListener(component),
      isSo: ({ listeners }) => listeners?.includes(component) ?? false,
    });
  for (const component of kept.accessibility ?? [])
    ties.push({
      what: 'its accessibility service',
      async set(home) {
        const others = componentsIn((await home.setting(accessibilitySetting)) ?? '');
        await home.setSetting(accessibilitySetting, [...others, component].join(':'));
        await home.setSetting('accessibility_enabled', '1');
      },
      isSo: ({ accessibility }) => accessibility?.includes(component) ?? false,
    });
  if (kept.isExempt)
    ties.push({
      what: 'being spared by the battery saver',
      set: (home) => home.setExempt(name),
      isSo: ({ isExempt }) => isExempt ?? false,
    });
  for (const role of kept.roles ?? [])
    ties.push({
      what: `the role ${role}`,
      set: (home) => home.giveRole(role, name, sdk),
      isSo: ({ roles }) => roles?.includes(role) ?? false,
    });
  const { languages } = kept;
  if (languages && sdk !== undefined && sdk >= languagesFrom)
    ties.push({
      what: `its language ${languages}`,
      set: (home) => home.setLanguages(name, languages),
      isSo: (other) => other.languages === languages,
    });
  return ties.filter((tie) => !tie.isSo(now));
}

/**
 * Sets what tied an app to its phone as it was, and looks whether it came to be so; what the phone refuses stays as it is, and the run's
 * log says so. The id that Android gave it is not among it: that takes a restart.
 */
export async function putHome(link: PhoneLink, app: CopiedApp, run: Run): Promise<string[]> {
  const { home } = link;
  if (!home || !app.home) return [];
  const sdk = await link.appWork?.sdk();
  const look = async () => (await readHomes(link, [app.package], sdk)).get(app.package) ?? {};
  const ties = tiesOf(app, await look(), sdk);
  if (ties.length === 0) return [];
  const refused = new Map<string, string>();
  for (const { what, set } of ties) {
    try {
      await set(home);
    } catch (error) {
      if (!(error instanceof PhoneRefusal)) throw error;
      refused.set(what, error.message);
    }
  }
  const now = await look();
  const [set, others] = [true, false].map((is) => ties.filter((tie) => tie.isSo(now) === is));
  for (const { what } of others!)
    run.log(
      `${app.label}: ${what} stays as it is: ${refused.get(what) ?? 'the phone said yes, and does not have it.'}`,
      'warning',
    );
  return set!.length > 0 ? [`${listText([...new Set(set!.map(({ what }) => what))])} as kept`] : [];
}
