import { describe, expect, it } from 'vitest';
import { parseEntries, parsePackageDump } from './package-dump.ts';

/** In the form of an Android 9 phone; the lines between are not read. */
const dump = `Activity Resolver Table:
  Package [nothing]
Packages:
  Package [example.tidebook] (1a2b3c4):
    userId=10061
    sharedUser=SharedUserSetting{5e6f example.saltmere/10061}
    pkg=Package{12ab example.tidebook}
    codePath=/data/app/example.tidebook-Qx3==
    resourcePath=/data/app/example.tidebook-Qx3==
    primaryCpuAbi=arm64-v8a
    versionCode=41 minSdk=24 targetSdk=28
    versionName=4.1
    splits=[base, config.xxhdpi, other]
    flags=[ HAS_CODE ALLOW_CLEAR_USER_DATA ]
    dataDir=/data/user/0/example.tidebook
    timeStamp=2026-03-05 10:11:12
    firstInstallTime=2026-01-02 03:04:05
    lastUpdateTime=2026-03-05 10:11:13
    installerPackageName=example.shop
    requested permissions:
      android.permission.INTERNET
      android.permission.CAMERA: restricted=true
      example.tidebook.permission.READ
    install permissions:
      android.permission.INTERNET: granted=true
    User 0: ceDataInode=131 installed=true hidden=false stopped=false enabled=0 instant=false
      gids=[3003]
      runtime permissions:
        android.permission.CAMERA: granted=false, flags=[ USER_SET ]
  Package [example.tide.home] (77):
    appId=10011
    codePath=/system/priv-app/TideHome
    versionCode=28 minSdk=28 targetSdk=28
    versionName=null
    splits=[base]
    pkgFlags=[ SYSTEM HAS_CODE ]
    firstInstallTime=1970-01-01 00:00:00
    User 0: ceDataInode=0 installed=true enabled=3 instant=false

Hidden system packages:
  Package [example.tide.home] (78):
    userId=1
    codePath=/elsewhere
`;

describe('what the package manager prints', () => {
  it('is read app by app', () => {
    expect(parsePackageDump(dump)).toEqual([
      {
        package: 'example.tidebook',
        uid: 10_061,
        codePath: '/data/app/example.tidebook-Qx3==',
        versionCode: 41,
        versionName: '4.1',
        minSdk: 24,
        targetSdk: 28,
        splits: ['config.xxhdpi', 'other'],
        otherUsers: [],
        isBuiltIn: false,
        isEnabled: true,
        isRemoved: false,
        allowsBackup: false,
        isDebuggable: false,
        sharedUserId: 'example.saltmere',
        installer: 'example.shop',
        firstInstalled: '2026-01-02 03:04:05',
        lastUpdated: '2026-03-05 10:11:13',
        permissions: [
          { name: 'android.permission.CAMERA', granted: false },
          { name: 'android.permission.INTERNET', granted: true },
          { name: 'example.tidebook.permission.READ', granted: false },
        ],
      },
      {
        package: 'example.tide.home',
        uid: 10_011,
        codePath: '/system/priv-app/TideHome',
        versionCode: 28,
        versionName: undefined,
        minSdk: 28,
        targetSdk: 28,
        splits: [],
        otherUsers: [],
        isBuiltIn: true,
        isEnabled: false,
        isRemoved: false,
        allowsBackup: false,
        isDebuggable: false,
        sharedUserId: undefined,
        installer: undefined,
        firstInstalled: undefined,
        lastUpdated: undefined,
        permissions: [],
      },
    ]);
  });

  it('is read for one of several users: what each allowed, and who else has it', () => {
    const told = `Packages:
  Package [example.tidebook] (1):
    userId=10061
    codePath=/data/app/example.tidebook-1
    versionCode=41 minSdk=23 targetSdk=28
    flags=[ HAS_CODE ]
    requested permissions:
      android.permission.CAMERA
      android.permission.INTERNET
    install permissions:
      android.permission.INTERNET: granted=true
    User 0: ceDataInode=1 installed=true hidden=false enabled=0
      runtime permissions:
        android.permission.CAMERA: granted=true
    User 10: ceDataInode=2 installed=true hidden=false enabled=3
      firstInstallTime=2026-03-01 08:00:00
      runtime permissions:
        android.permission.CAMERA: granted=false
    User 11: ceDataInode=0 installed=false hidden=false enabled=0
`;
    const granted = (user: number) =>
      parsePackageDump(told, user)[0]!
        .permissions.filter((each) => each.granted)
        .map((each) => each.name);
    expect(granted(0)).toEqual(['android.permission.CAMERA', 'android.permission.INTERNET']);
    expect(granted(10)).toEqual(['android.permission.INTERNET']);
    expect(parsePackageDump(told)[0]).toMatchObject({
      uid: 10_061,
      otherUsers: [10],
      firstInstalled: undefined,
    });
    expect(parsePackageDump(told, 10)[0]).toMatchObject({
      ...{ uid: 1_010_061, otherUsers: [0], isEnabled: false },
      firstInstalled: '2026-03-01 08:00:00',
    });
    expect(parsePackageDump(told, 11)).toEqual([]);
    expect(parsePackageDump(told, 12)).toEqual([]);
  });

  it('may be nothing, or cut off in the middle', () => {
    expect(parsePackageDump('')).toEqual([]);
    expect(parsePackageDump("Can't find service: package")).toEqual([]);
    const cut = dump.slice(0, dump.indexOf('versionName=4.1'));
    expect(parsePackageDump(cut)).toMatchObject([{ package: 'example.tidebook', versionCode: 41 }]);
  });

  it('of apps that no user has, tells those whose data it keeps', () => {
    const section = (name: string, appId: number, lines: string) =>
      `  Package [${name}] (77):\n    userId=${appId}\n    codePath=/data/app/${name}-1\n${lines}`;
    const told = [
      'Packages:\n',
      section('example.tidebook', 10_061, '    User 0: ceDataInode=1 installed=true enabled=0\n'),
      section(
        'example.kept',
        10_070,
        '    User 0: ceDataInode=2 installed=false\n    User 10: installed=false\n',
      ),
      section('example.work', 10_071, '    User 0: installed=false\n    User 10: installed=true\n'),
      section('example.away', 10_072, '    User 0: installed=false\n      archiveState=ArchiveState{a}\n'),
      section('example.here', 10_073, '    User 0: installed=false\n      archiveState=null\n'),
      section('example.tide.home', 10_011, '    flags=[ SYSTEM ]\n    User 0: installed=false\n'),
      // A system without users tells of none.
      section('example.bare', 10_074, ''),
    ].join('');
    expect(parseEntries(told)).toEqual([
      { package: 'example.kept', appId: 10_070, isArchived: false },
      { package: 'example.away', appId: 10_072, isArchived: true },
      { package: 'example.here', appId: 10_073, isArchived: false },
    ]);
    expect(parseEntries('')).toEqual([]);
  });
});
