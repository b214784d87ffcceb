import { linesOf } from '../bytes/lines.ts';
import type { InstalledApp } from './facts.ts';

/** Disabled by the owner, by the system, or until used (Android, PackageManager.COMPONENT_ENABLED_STATE_…). */
const disabledStates = new Set([2, 3, 4]);

/**
 * Reads what `dumpsys package packages` prints (AOSP frameworks/base, Settings.dumpPackageLPr): one section an
 * app, lines that are not known passed over. Of an app that is listed twice, as one that was updated over what
 * is built in, the first section counts.
 */
export function parsePackageDump(text: string): InstalledApp[] {
  const found = new Map<string, InstalledApp>();
  for (const section of sectionsIn(text)) {
    const app = found.has(section.name) ? undefined : appOf(section);
    if (app) found.set(app.package, app);
  }
  return [...found.values()];
}

/** What one app's section says. */
class Section {
  /** Of lines `key=value`, the first of each key. */
  readonly fields = new Map<string, string>();
  readonly asked = new Set<string>();
  readonly granted = new Set<string>();
  user = '';
  sharedUserId: string | undefined;
  private isAsking = false;

  constructor(readonly name: string) {}

  /** @param line without the blanks around it */
  take(line: string): void {
    const at = line.indexOf('=');
    if (at > 0) this.takeField(line.slice(0, at), line.slice(at + 1));
    if (line.startsWith('User 0:')) this.user ||= line;
    this.sharedUserId ??= /^sharedUser=SharedUserSetting\{[^ ]+ ([^/}]+)\/\d+\}/.exec(line)?.[1];
    const permission = /^([A-Za-z0-9_.]+)(?::|$)/.exec(line)?.[1];
    if (permission && line.startsWith(`${permission}: granted=true`)) this.granted.add(permission);
    if (this.isAsking && permission?.includes('.')) this.asked.add(permission);
    this.isAsking = line === 'requested permissions:' || (this.isAsking && permission !== undefined);
  }

  private takeField(key: string, value: string): void {
    if (/^\w+$/.test(key) && !this.fields.has(key)) this.fields.set(key, value);
    // Some stand behind others on their line.
    for (const part of value.split(' ')) {
      const at = part.indexOf('=');
      if (at > 0 && !this.fields.has(part.slice(0, at)))
        this.fields.set(part.slice(0, at), part.slice(at + 1));
    }
  }
}

function* sectionsIn(text: string): Generator<Section> {
  const start = text.startsWith('Packages:') ? 0 : Math.max(0, text.indexOf('\nPackages:'));
  let section: Section | undefined;
  for (const line of linesOf(text.slice(start))) {
    const name = /^ {2}Package \[([A-Za-z0-9_.]+)\]/.exec(line)?.[1];
    if (!line.startsWith('  Package [')) section?.take(line.trim());
    else {
      if (section) yield section;
      section = name === undefined ? undefined : new Section(name);
    }
  }
  if (section) yield section;
}

function appOf({ name, fields, user, asked, granted, sharedUserId }: Section): InstalledApp | undefined {
  const field = (key: string) => {
    const value = fields.get(key)?.trim();
    return value === 'null' || value === '' ? undefined : value;
  };
  const number = (...keys: string[]) => {
    const digits = keys.map((key) => /^\d+/.exec(fields.get(key) ?? '')?.[0]).find(Boolean);
    return digits === undefined ? undefined : Number(digits);
  };
  const list = (key: string) => /^\[([^\]]*)\]/.exec(fields.get(key) ?? '')?.[1];
  const uid = number('userId', 'appId');
  const codePath = field('codePath');
  if (uid === undefined || !codePath) return undefined;
  const flags = (list('pkgFlags') ?? list('flags') ?? '').split(' ');
  const splits = (list('splits') ?? '').split(',').map((each) => each.trim());
  const enabled = /\benabled=(\d+)/.exec(user)?.[1];
  return {
    package: name,
    uid,
    codePath,
    versionCode: number('versionCode') ?? 0,
    versionName: field('versionName'),
    minSdk: number('minSdk'),
    targetSdk: number('targetSdk'),
    splits: splits.filter((each) => each !== '' && each !== 'base'),
    isBuiltIn: flags.includes('SYSTEM'),
    isRemoved: /\binstalled=false\b/.test(user),
    allowsBackup: flags.includes('ALLOW_BACKUP'),
    isDebuggable: flags.includes('DEBUGGABLE'),
    isEnabled: !disabledStates.has(Number(enabled ?? 0)),
    sharedUserId,
    installer: field('installerPackageName'),
    updateOwner: field('updateOwnerPackageName'),
    firstInstalled: timeOf(field('firstInstallTime')),
    lastUpdated: timeOf(field('lastUpdateTime')),
    permissions: [...asked].sort().map((each) => ({ name: each, granted: granted.has(each) })),
  };
}

/** An app that came with the system has the beginning of time here. */
const timeOf = (text: string | undefined) =>
  text && /^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d$/.test(text) && !text.startsWith('1970') ? text : undefined;
