import type { AppFacts, InstalledApp } from '@keen-larder/core/apps/facts.ts';
import type { PackageEntry } from '@keen-larder/core/apps/package-dump.ts';
import type { PhoneUser } from '@keen-larder/core/phone/users/users.ts';
import type { WaitingProgram } from '@keen-larder/core/runsheet/apps/waiting.ts';

/** Apps of a running system. */
export interface AppAccess {
  /** All that are installed, each with what its APK says. @throws LinkFailure when the phone lists none */
  list(signal?: AbortSignal): Promise<AppFacts[]>;
  /** What the package manager notes of apps that no user has. */
  entries(signal?: AbortSignal): Promise<PackageEntry[]>;
  /** As they were last listed; listed now where they never were. */
  recent(): Promise<AppFacts[]>;
  /** The picture of an app; undefined where it has none that is a picture. */
  icon(app: Pick<AppFacts, 'paths'>): Promise<Uint8Array | undefined>;
  /** Names of the classes in its program. @throws FormatError */
  classes(app: Pick<AppFacts, 'paths'>): Promise<string[]>;
}

/** One APK on its way to the phone. */
export interface InstallPart {
  readonly name: string;
  readonly bytes: number;
  content(): AsyncIterable<Uint8Array>;
}

/** How a program is installed. */
export interface InstallHow {
  /** The store that it is of, as the phone is told. */
  readonly installer?: string | undefined;
  /** That store alone may update it unasked, where this Android has such a thing. */
  readonly ownsUpdates?: boolean;
  readonly mayDowngrade?: boolean;
}

/** What is done to single apps of a running system. */
export interface AppWork {
  /** Android's API level. */
  sdk(): Promise<number | undefined>;
  /** Of user data; undefined where it is not told. */
  freeBytes(): Promise<number | undefined>;
  stop(name: string): Promise<void>;
  /** What the package manager says of one app; undefined where it is not installed. */
  describe(name: string): Promise<InstalledApp | undefined>;
  /** A file, such as an APK. */
  read(path: string, signal?: AbortSignal): AsyncIterable<Uint8Array>;
  /**
   * The platform's own backup of some apps, without their programs: nothing of it where somebody refused on the phone's screen, or nobody
   * answered there.
   */
  backUp(packages: readonly string[], signal?: AbortSignal): AsyncIterable<Uint8Array>;
  /**
   * Hands a backup of the platform's own over. That it is over does not tell that any of it was taken: somebody may have refused on the
   * phone's screen.
   */
  takeBackup(backup: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void>;
  /** SHA-256 of files by their full paths. @param bytes how many they are together, for how long is waited */
  digests(paths: readonly string[], bytes: number, signal?: AbortSignal): Promise<Map<string, string>>;
  /** @throws PhoneRefusal with the package manager's own words when it refuses */
  install(parts: readonly InstallPart[], how: InstallHow, signal?: AbortSignal): Promise<void>;
  /** Programs that an archive left in user data, for recovery cannot install them. */
  waiting(): Promise<readonly WaitingProgram[]>;
  /** Installs one from where it lies, and takes it away there. @throws PhoneRefusal */
  installWaiting(program: WaitingProgram, signal?: AbortSignal): Promise<void>;
  /** Removes for the owner; what came with the system can be brought back. */
  uninstall(name: string): Promise<void>;
  bringBack(name: string): Promise<void>;
  /** Of all users: an app that came with the system is as it came, and empty; of another nothing stays, not even its entry. */
  uninstallForAll(name: string): Promise<void>;
  setEnabled(name: string, isEnabled: boolean): Promise<void>;
  setGranted(name: string, permission: string, isGranted: boolean): Promise<void>;
}

/** What ties apps to a phone, as far as its running system tells and sets it. */
export interface HomeWork {
  /** Of some apps, modes that differ from the default; nothing of one that it does not tell of. */
  ops(names: readonly string[]): Promise<Map<string, Record<string, string>>>;
  setOp(name: string, op: string, mode: string): Promise<void>;
  /** Of some apps, BCP 47, with commas between; nothing before Android 13. */
  languages(names: readonly string[]): Promise<Map<string, string>>;
  setLanguages(name: string, tags: string): Promise<void>;
  /** A setting of the owner's; empty where it is not set, undefined where the phone does not tell. */
  setting(name: string): Promise<string | undefined>;
  setSetting(name: string, value: string): Promise<void>;
  allowListener(component: string): Promise<void>;
  disallowListener(component: string): Promise<void>;
  /** Packages that may run while the phone sleeps; undefined where it does not tell. */
  exempt(): Promise<ReadonlySet<string> | undefined>;
  setExempt(name: string): Promise<void>;
  /** @param role in short: `SMS` */
  giveRole(role: string, name: string, sdk: number | undefined): Promise<void>;
}

/** Users of a running system. */
export interface UserAccess {
  list(): Promise<PhoneUser[]>;
  /** Has a user's services run: without a screen lock that user's files are open then. */
  start(user: number): Promise<void>;
}
