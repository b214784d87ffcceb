import type { CopiedApp } from '../apps/copies.ts';
import type { ListedApp } from '../apps/facets.ts';
import type { AppFacts } from '../apps/facts.ts';

/** An app as a phone lists it. */
export const appFacts = (name: string, over: Partial<AppFacts> = {}): AppFacts => ({
  package: `example.${name}`,
  label: `${name[0]!.toUpperCase()}${name.slice(1)}`,
  uid: 10_061,
  codePath: `/data/app/example.${name}-1`,
  versionCode: 41,
  versionName: '4.1',
  minSdk: 24,
  targetSdk: 28,
  splits: [],
  updateOwner: undefined,
  otherUsers: [],
  isBuiltIn: false,
  isEnabled: true,
  isRemoved: false,
  allowsBackup: true,
  isDebuggable: false,
  isRunning: false,
  sharedUserId: undefined,
  installer: 'example.shop',
  firstInstalled: '2026-01-02 03:04:05',
  lastUpdated: '2026-03-05 10:11:12',
  permissions: [],
  paths: [`/data/app/example.${name}-1/base.apk`],
  programBytes: 5 << 20,
  dataBytes: 2 << 20,
  stamp: undefined,
  isHalfPut: false,
  hasHardwareKeys: false,
  abis: [],
  certificates: ['ab'.repeat(32)],
  duties: ['launcher'],
  hasIcon: true,
  ...over,
});

/** An app as a list of the phone's and the larder's apps has it. */
export const listedApp = (
  name: string,
  over: Partial<AppFacts> = {},
  listed: Partial<ListedApp> = {},
): ListedApp => {
  const installed = appFacts(name, over);
  return {
    package: installed.package,
    label: installed.label,
    installed,
    copies: [],
    change: 'never',
    isAside: false,
    ...listed,
  };
};

/** An app as a copy tells of it. */
export const copiedApp = (name: string, over: Partial<CopiedApp> = {}): CopiedApp => ({
  package: name,
  label: 'Tidebook',
  versionCode: 41,
  versionName: '4.1',
  uid: 10_061,
  abis: [],
  certificates: ['ab'.repeat(32)],
  isBuiltIn: false,
  isEnabled: true,
  permissions: [{ name: 'android.permission.CAMERA', granted: true }],
  hasHardwareKeys: false,
  ...over,
});
