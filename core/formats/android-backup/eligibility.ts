import type { FolderKind, PartKind } from '../../apps/copies.ts';
import type { InstalledApp } from '../../apps/facts.ts';
import { appIdOf, isAppId } from '../../apps/ids.ts';

/** What the platform's own backup holds of an app: of what lies on shared storage not what it shows in galleries. */
export const kindsInBackup: readonly FolderKind[] = ['data', 'device-data', 'external', 'obb'];
export const isInBackup = (kind: PartKind): boolean => (kindsInBackup as readonly PartKind[]).includes(kind);

/** Why an app gives no data to the platform's own backup. */
export type WhyNoBackup = 'forbids' | 'too-new' | 'system';

/** From Android 12 on, apps made for it or later give nothing (Android, public documentation, Behavior changes: Android 12). */
const noMoreFrom = 31;

/**
 * Whether an app gives its data to the platform's own backup, as the phone judges it (Android, public documentation, `allowBackup`; AOSP,
 * BackupEligibilityRules, for apps of the system).
 * @param sdk Android's API level on the phone; undefined where it is not known
 * @returns undefined where it gives it
 */
export function whyNoBackup(
  app: Pick<InstalledApp, 'allowsBackup' | 'isDebuggable' | 'targetSdk' | 'uid'>,
  sdk: number | undefined,
): WhyNoBackup | undefined {
  if (!app.allowsBackup) return 'forbids';
  if (!isAppId(appIdOf(app.uid))) return 'system';
  const isNew = (sdk ?? 0) >= noMoreFrom && (app.targetSdk ?? 0) >= noMoreFrom;
  return isNew && !app.isDebuggable ? 'too-new' : undefined;
}

export const whyNoBackupText: Readonly<Record<WhyNoBackup, string>> = {
  forbids: 'forbids backups',
  'too-new': 'is made for Android 12 or later',
  system: 'is part of the system',
};
