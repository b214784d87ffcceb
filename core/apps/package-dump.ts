import type { AppPermission, InstalledApp } from './facts.ts';

/** Disabled by the owner, by the system, or until used (Android, PackageManager.COMPONENT_ENABLED_STATE_…). */
const disabledStates = new Set([2, 3, 4]);

/**
 * Reads what `dumpsys package packages` prints (AOSP frameworks/base, Settings.dumpPackageLPr): one section an
 * app, lines that are not known passed over. Of an app that is listed twice, as one that was updated over what
 * is built in, the first section counts.
 */
export function parsePackageDump(text: string): InstalledApp[] {
  const found = new Map<string, InstalledApp>();
  const start = text.search(/^Packages:\s*$/m);
  const sections = text
    .slice(start < 0 ? 0 : start)
    .split(/^ {2}Package \[/m)
    .slice(1);
  for (const section of sections) {
    const name = /^([A-Za-z0-9_.]+)\]/.exec(section)?.[1];
    const app = name && !found.has(name) ? appOf(name, section) : undefined;
    if (app) found.set(app.package, app);
  }
  return [...found.values()];
}

function appOf(name: string, section: string): InstalledApp | undefined {
  const field = (key: string) => {
    const value = new RegExp(`^\\s+${key}=(.+?)\\s*$`, 'm').exec(section)?.[1];
    return value === 'null' ? undefined : value;
  };
  const inline = (key: string) => new RegExp(`\\b${key}=(\\d+)\\b`).exec(section)?.[1];
  const number = (value: string | undefined) => (value === undefined ? undefined : Number(value));
  const uid = number(/^\s+(?:userId|appId)=(\d+)/m.exec(section)?.[1]);
  const codePath = field('codePath');
  if (uid === undefined || !codePath) return undefined;
  const flags = /^\s+(?:pkgFlags|flags)=\[([^\]]*)\]/m.exec(section)?.[1]?.split(/\s+/) ?? [];
  const user = /^\s+User 0:.*$/m.exec(section)?.[0] ?? '';
  const enabled = /\benabled=(\d+)/.exec(user)?.[1];
  const splits = /^\s+splits=\[([^\]]*)\]/m.exec(section)?.[1]?.split(/,\s*/) ?? [];
  return {
    package: name,
    uid,
    codePath,
    versionCode: Number(inline('versionCode') ?? 0),
    versionName: field('versionName'),
    minSdk: number(inline('minSdk')),
    targetSdk: number(inline('targetSdk')),
    splits: splits.filter((each) => each !== '' && each !== 'base'),
    isBuiltIn: flags.includes('SYSTEM'),
    isRemoved: /\binstalled=false\b/.test(user),
    isEnabled: !disabledStates.has(Number(enabled ?? 0)),
    sharedUserId: /SharedUserSetting\{\S+ ([^/}]+)\/\d+\}/.exec(section)?.[1],
    installer: field('installerPackageName'),
    firstInstalled: timeOf(field('firstInstallTime')),
    lastUpdated: timeOf(field('lastUpdateTime')),
    permissions: permissionsOf(section),
  };
}

/** An app that came with the system has the beginning of time here. */
const timeOf = (text: string | undefined) =>
  text && /^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d$/.test(text) && !text.startsWith('1970') ? text : undefined;

/** Those it asks for; granted where either of the lists of grants says so. */
function permissionsOf(section: string): AppPermission[] {
  const asked = /^\s+requested permissions:\n((?:\s+[A-Za-z0-9_.]+(?::.*)?\n)*)/m.exec(section)?.[1] ?? '';
  const names = asked
    .split('\n')
    .flatMap((line) => /^\s+([A-Za-z0-9_]+(?:\.[A-Za-z0-9_]+)+)/.exec(line)?.[1] ?? []);
  const granted = new Set(
    [...section.matchAll(/^\s+([A-Za-z0-9_.]+): granted=true/gm)].map(([, permission]) => permission),
  );
  return [...new Set(names)].sort().map((each) => ({ name: each, granted: granted.has(each) }));
}
