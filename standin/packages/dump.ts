import type { Installed } from './installed.ts';

/** As the package manager prints times: of the phone, which keeps UTC. */
const timeText = (ms: number): string => new Date(ms).toISOString().slice(0, 19).replace('T', ' ');

/** What `dumpsys package` prints of one app, as each user has it, the owner first (AOSP frameworks/base, Settings.dumpPackageLPr), its main lines. */
export function dumpText(of: readonly Installed[]): string {
  const { apk, paths, uid, isBuiltIn, ...app } = of[0]!;
  const [base] = paths as [string];
  const codePath = base.slice(0, base.lastIndexOf('/'));
  const flags = [
    'HAS_CODE',
    'ALLOW_CLEAR_USER_DATA',
    ...(apk.allowsBackup ? ['ALLOW_BACKUP'] : []),
    ...(isBuiltIn ? ['SYSTEM'] : []),
    ...(isBuiltIn && codePath.startsWith('/data/') ? ['UPDATED_SYSTEM_APP'] : []),
  ];
  const splits = ['base', ...paths.slice(1).map((path) => /split_([^/]+)\.apk$/.exec(path)?.[1] ?? 'other')];
  const install = apk.permissions.filter((name) => !app.runtime.has(name));
  return [
    `  Package [${apk.package}] (${(uid * 7919).toString(16)}):`,
    `    userId=${uid}`,
    ...(apk.sharedUserId
      ? [`    sharedUser=SharedUserSetting{${uid.toString(16)} ${apk.sharedUserId}/${uid}}`]
      : []),
    `    codePath=${codePath}`,
    `    resourcePath=${codePath}`,
    `    primaryCpuAbi=${apk.abis[0] ?? 'null'}`,
    `    versionCode=${apk.versionCode} minSdk=${apk.minSdk} targetSdk=${apk.targetSdk}`,
    `    versionName=${apk.versionName ?? 'null'}`,
    `    splits=[${splits.join(', ')}]`,
    '    apkSigningVersion=2',
    `    flags=[ ${flags.join(' ')} ]`,
    `    dataDir=/data/user/0/${apk.package}`,
    `    timeStamp=${timeText(app.updatedAt)}`,
    `    firstInstallTime=${timeText(app.firstInstalledAt)}`,
    `    lastUpdateTime=${timeText(app.updatedAt)}`,
    ...(app.installer ? [`    installerPackageName=${app.installer}`] : []),
    ...(app.updateOwner ? [`    updateOwnerPackageName=${app.updateOwner}`] : []),
    '    requested permissions:',
    ...apk.permissions.map((name) => `      ${name}`),
    '    install permissions:',
    ...install.map((name) => `      ${name}: granted=true`),
    ...of.flatMap(({ user, installed, enabled, runtime }) => [
      `    User ${user}: ceDataInode=0 installed=${installed} hidden=false suspended=false stopped=false notLaunched=false enabled=${enabled} instant=false virtual=false`,
      '      runtime permissions:',
      ...[...runtime].map(([name, granted]) => `        ${name}: granted=${granted}`),
    ]),
    '',
  ].join('\n');
}
