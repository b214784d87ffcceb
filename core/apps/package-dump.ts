import { linesOf } from '../bytes/lines.ts';
import type { InstalledApp } from './facts.ts';
import { uidOfUser } from './ids.ts';

/** Disabled by the owner, by the system, or until used (Android, PackageManager.COMPONENT_ENABLED_STATE_…). */
const disabledStates = new Set([2, 3, 4]);

/**
 * Reads what `dumpsys package packages` prints (AOSP frameworks/base, Settings.dumpPackageLPr): one section an
 * app, lines that are not known passed over. Of an app that is listed twice, as one that was updated over what
 * is built in, the first section counts.
 * @param user whose apps they are: what others have is left out, but for what came with the system
 */
export function parsePackageDump(text: string, user = 0): InstalledApp[] {
  const found = new Map<string, InstalledApp | undefined>();
  for (const section of sectionsIn(text, user))
    if (!found.has(section.name)) found.set(section.name, appOf(section, user));
  return [...found.values()].filter((app) => app !== undefined);
}

/** What the package manager still notes of an app that no user has. */
export interface PackageEntry {
  readonly package: string;
  readonly appId: number;
  /** Put away by the system, which keeps its data for when it comes back (Android 15). */
  readonly isArchived: boolean;
}

/**
 * Apps that no user has, and of which there is an entry still: they were removed with their data kept (`pm uninstall -k`), or archived.
 * That their sections are as those of others, with `installed=false`, and name the state of an archive is from memory.
 */
export function parseEntries(text: string): PackageEntry[] {
  const found: PackageEntry[] = [];
  for (const section of sectionsIn(text, 0)) {
    const { name, fields, otherUsers, isArchived } = section;
    const appId = Number(/^\d+/.exec(fields.get('userId') ?? fields.get('appId') ?? '')?.[0]);
    const isAway = /\binstalled=false\b/.test(section.user) && otherUsers.length === 0;
    if (!isAway || Number.isNaN(appId) || isSystems(section)) continue;
    found.push({ package: name, appId, isArchived });
  }
  return found;
}

/** What one app's section says. */
class Section {
  /** Of lines `key=value`, the first of each key. */
  readonly fields = new Map<string, string>();
  readonly asked = new Set<string>();
  readonly granted = new Set<string>();
  /** What it says of the user: `User 0: ceDataInode=… installed=true …` */
  user = '';
  /** For whom else it is installed. */
  readonly otherUsers: number[] = [];
  sharedUserId: string | undefined;
  isArchived = false;
  private isAsking = false;
  /** Whose lines these are; undefined before those of users, which hold for all. */
  private of: number | undefined;

  constructor(
    readonly name: string,
    private readonly wanted: number,
  ) {}

  /** @param line without the blanks around it */
  take(line: string): void {
    this.isArchived ||= /\barchive_?state[=:]\s*(?!null\b)\S/i.test(line);
    const user = /^User (\d{1,9}):/.exec(line)?.[1];
    if (user !== undefined) {
      this.of = Number(user);
      if (this.of === this.wanted) this.user ||= line;
      else if (/\binstalled=true\b/.test(line)) this.otherUsers.push(this.of);
    }
    if (this.of !== undefined && this.of !== this.wanted) return;
    const at = line.indexOf('=');
    if (at > 0) this.takeField(line.slice(0, at), line.slice(at + 1));
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

function* sectionsIn(text: string, user: number): Generator<Section> {
  const start = text.startsWith('Packages:') ? 0 : Math.max(0, text.indexOf('\nPackages:'));
  let section: Section | undefined;
  for (const line of linesOf(text.slice(start))) {
    const name = /^ {2}Package \[([A-Za-z0-9_.]+)\]/.exec(line)?.[1];
    if (!line.startsWith('  Package [')) section?.take(line.trim());
    else {
      if (section) yield section;
      section = name === undefined ? undefined : new Section(name, user);
    }
  }
  if (section) yield section;
}

const listIn = ({ fields }: Section, key: string) => /^\[([^\]]*)\]/.exec(fields.get(key) ?? '')?.[1];
const flagsOf = (section: Section) =>
  (listIn(section, 'pkgFlags') ?? listIn(section, 'flags') ?? '').split(' ');
/** It came with the system. */
const isSystems = (section: Section) => flagsOf(section).includes('SYSTEM');

/** @returns undefined where the user does not have it */
function appOf(section: Section, id: number): InstalledApp | undefined {
  const { name, fields, user, asked, granted, sharedUserId, otherUsers } = section;
  const field = (key: string) => {
    const value = fields.get(key)?.trim();
    return value === 'null' || value === '' ? undefined : value;
  };
  const number = (...keys: string[]) => {
    const digits = keys.map((key) => /^\d+/.exec(fields.get(key) ?? '')?.[0]).find(Boolean);
    return digits === undefined ? undefined : Number(digits);
  };
  const appId = number('userId', 'appId');
  const codePath = field('codePath');
  if (appId === undefined || !codePath) return undefined;
  const flags = flagsOf(section);
  const splits = (listIn(section, 'splits') ?? '').split(',').map((each) => each.trim());
  const enabled = /\benabled=(\d+)/.exec(user)?.[1];
  const isBuiltIn = isSystems(section);
  const isRemoved = /\binstalled=false\b/.test(user);
  // A system that tells of no users has its owner alone.
  if ((isRemoved && !isBuiltIn) || (user === '' && id !== 0)) return undefined;
  return {
    package: name,
    uid: uidOfUser(id, appId),
    otherUsers,
    codePath,
    versionCode: number('versionCode') ?? 0,
    versionName: field('versionName'),
    minSdk: number('minSdk'),
    targetSdk: number('targetSdk'),
    splits: splits.filter((each) => each !== '' && each !== 'base'),
    isBuiltIn,
    isRemoved,
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
