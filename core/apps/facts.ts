import type { AppDuty } from '../formats/apk/apk.ts';
import type { DataStamp } from './data-stamp.ts';

/** A permission that an app asks for. */
export interface AppPermission {
  /** In full: `android.permission.CAMERA`. */
  readonly name: string;
  readonly granted: boolean;
}

/** What a phone's package manager says of an app. */
export interface InstalledApp {
  readonly package: string;
  /** Of the user whose app it is. */
  readonly uid: number;
  /** For whom else it is installed: the program is the same for all. */
  readonly otherUsers: readonly number[];
  /** Folder of its APKs. */
  readonly codePath: string;
  readonly versionCode: number;
  readonly versionName: string | undefined;
  readonly minSdk: number | undefined;
  readonly targetSdk: number | undefined;
  /** Names of its splits; empty for a single APK. */
  readonly splits: readonly string[];
  readonly isBuiltIn: boolean;
  readonly isEnabled: boolean;
  /** It came with the system and was removed for the owner; its program is still there. */
  readonly isRemoved: boolean;
  /** Its data may go into backups of the platform's own. */
  readonly allowsBackup: boolean;
  readonly isDebuggable: boolean;
  readonly sharedUserId: string | undefined;
  readonly installer: string | undefined;
  /** The store that alone may update it unasked, since Android 14 (AOSP, from memory). */
  readonly updateOwner: string | undefined;
  /** As the phone's own clock shows them, `2026-03-05 10:11:12`. */
  readonly firstInstalled: string | undefined;
  readonly lastUpdated: string | undefined;
  readonly permissions: readonly AppPermission[];
}

/** An app on a phone, with what its APK and its files say. */
export interface AppFacts extends InstalledApp {
  /** What people call it. */
  readonly label: string;
  readonly isRunning: boolean;
  /** Paths of its APKs on the phone, the base first. */
  readonly paths: readonly string[];
  readonly programBytes: number;
  /** Undefined where it cannot be told, as without root. */
  readonly dataBytes: number | undefined;
  /** Of its data, without caches; undefined where it cannot be told. */
  readonly stamp: DataStamp | undefined;
  /** An exchange of its data broke off; what was there is put back before anything else is done to it. */
  readonly isHalfPut: boolean;
  /** It keeps keys in the phone's hardware. */
  readonly hasHardwareKeys: boolean;
  readonly abis: readonly string[];
  /** SHA-256 of the signers' certificates; empty where the APK could not be read. */
  readonly certificates: readonly string[];
  readonly duties: readonly AppDuty[];
  readonly hasIcon: boolean;
}
