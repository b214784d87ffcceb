import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { cacheGroupOf, categoriesOf } from '@keen-larder/core/apps/ids.ts';
import type { NewFile } from '@keen-larder/core/formats/file-system/building.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { notebookDatabase } from '../firmware/database.ts';
import { filler } from '../firmware/filler.ts';
import { apkOf, carried, type Program } from '../firmware/programs.ts';
import type { Shape } from '../firmware/icons.ts';
import { editTree, type Addition } from '../flash/file-tree.ts';
import type { Device } from '../flash/flash.ts';
import { homeFiles } from '../packages/home-files.ts';
import { settingsFiles, tagOf, withGrants, withListLine, withPackage } from '../packages/settings.ts';

/** An app of a phone that has been in use for long. */
interface Used extends Pick<Program, 'signer' | 'permissions' | 'abis' | 'shape' | 'colour' | 'carries'> {
  readonly name: string;
  readonly label: string;
  readonly versionCode: number;
  readonly kibibytes: number;
  readonly dataKibibytes: number;
  /** Of the store that it came from; none where somebody loaded it by hand. */
  readonly installer?: string;
  /** Names of splits beside its base. */
  readonly splits?: readonly string[];
  readonly sharedUserId?: string;
  /** A folder on shared storage as well. */
  readonly sharesKibibytes?: number;
}

const colours = {
  green: [38, 97, 71],
  slate: [70, 96, 125],
  quince: [196, 148, 42],
  beetroot: [142, 27, 74],
  plum: [92, 62, 112],
  rust: [168, 82, 42],
} as const;
const shop = 'example.shop';
const native = ['arm64-v8a', 'armeabi-v7a'];
const used = (
  name: string,
  label: string,
  [shape, colour]: readonly [Shape, keyof typeof colours],
  over: Partial<Used> = {},
): Used => ({
  ...{ name: `example.${name}`, label, shape, colour: colours[colour], signer: 'saltmere', abis: [] },
  ...{ versionCode: 12, kibibytes: 300, dataKibibytes: 40, installer: shop, permissions: ['INTERNET'] },
  ...over,
});

const { gullcount, shorelight, wrackline } = carried;
const camera = ['CAMERA', 'INTERNET'];
const place = ['ACCESS_FINE_LOCATION', 'INTERNET'];

const apps: readonly Used[] = [
  used('gullradar', 'Gull Radar', ['star', 'slate'], {
    carries: gullcount,
    permissions: place,
    abis: native,
  }),
  used('saltpans', 'Salt Pans', ['dots', 'quince'], {
    ...{ splits: ['config.en', 'config.arm64_v8a', 'config.xhdpi'], versionCode: 31, kibibytes: 700 },
    dataKibibytes: 300,
  }),
  used('lanternnotes', 'Lantern Notes', ['frame', 'green'], { dataKibibytes: 180 }),
  used('moonphase', 'Moon Phase', ['crescent', 'plum'], { carries: shorelight }),
  // For processors of before.
  used('rowlock', 'Rowlock', ['glass', 'rust'], { abis: ['armeabi-v7a'], versionCode: 5 }),
  used('kelpcards', 'Kelp Cards', ['flower', 'beetroot'], {
    ...{ carries: shorelight, kibibytes: 900, dataKibibytes: 600, sharesKibibytes: 400 },
  }),
  used('driftmail', 'Drift Mail', ['diamond', 'slate'], {
    ...{ signer: 'harbour', sharedUserId: 'example.drift', permissions: ['READ_CONTACTS', 'INTERNET'] },
    dataKibibytes: 400,
  }),
  used('driftdays', 'Drift Days', ['square', 'slate'], {
    ...{ signer: 'harbour', sharedUserId: 'example.drift', permissions: ['READ_CALENDAR', 'WRITE_CALENDAR'] },
  }),
  used('tollgate', 'Tollgate', ['bars', 'quince'], {
    signer: 'dune',
    permissions: ['USE_BIOMETRIC', 'INTERNET'],
  }),
  // Loaded by hand, from no store.
  used('sluicewatch', 'Sluice Watch', ['wave', 'rust'], { installer: '', versionCode: 2 }),
  used('heronsketch', 'Heron Sketch', ['triangle', 'plum'], { permissions: camera, sharesKibibytes: 300 }),
  used('wadersong', 'Wader Song', ['waves', 'green'], {
    ...{ carries: wrackline, permissions: ['RECORD_AUDIO', 'INTERNET'], abis: native },
  }),
  used('cobblepath', 'Cobble Path', ['steps', 'rust'], {
    carries: [...gullcount, ...wrackline],
    permissions: place,
  }),
  used('seedlist', 'Seed List', ['cross', 'green'], { installer: 'example.commons', dataKibibytes: 90 }),
  used('oysterrun', 'Oyster Run', ['half', 'plum'], {
    carries: [...shorelight, ...gullcount],
    kibibytes: 800,
  }),
  used('quayradio', 'Quay Radio', ['saltire', 'beetroot'], { sharesKibibytes: 500 }),
  used('hutkeys', 'Hut Keys', ['ring', 'beetroot'], {
    installer: 'example.commons',
    permissions: ['USE_BIOMETRIC'],
  }),
  used('flinttorch', 'Flint Torch', ['roof', 'quince'], {
    installer: '',
    permissions: ['CAMERA'],
    dataKibibytes: 0,
  }),
];

/** Apps that were removed by tools that left some of them behind. */
const removed = {
  ferrygame: 'example.ferrygame',
  oldtides: 'example.oldtides',
  sandtimer: 'example.sandtimer',
  bellbuoy: 'example.bellbuoy',
} as const;

/** One more that reads notifications. */
const withListener = (secure: string, component: string): string =>
  secure.includes(component)
    ? secure
    : secure.replace(
        /(name="enabled_notification_listeners" value=")([^"]*)/,
        (_, head: string, value: string) => `${head}${value === '' ? '' : `${value}:`}${component}`,
      );

const systemOwned = { uid: 1000, gid: 1000 } as const;
const labelled = (label: string) => [
  { name: 'security.selinux', value: new Uint8Array(Buffer.from(`${label}\0`, 'latin1')) },
];
const programLabel = labelled('u:object_r:apk_data_file:s0');

/**
 * Installs apps as a phone has them that has been in use for long: by several makers, from stores and by hand, in one APK and in
 * several. What is there already stays as it is.
 * @param userData its file system, seen through its cipher
 */
export async function putTwoDozenApps(userData: Device): Promise<void> {
  const fs = await openFileSystem(userData);
  const read = async (path: string) => (await fs.text(path)) ?? '';
  let [packages, list, grants] = [
    await read(settingsFiles.packages),
    await read(settingsFiles.list),
    await read(settingsFiles.grants),
  ];
  const at = Date.UTC(2026, 1, 2, 9);
  const modifiedAt = at / 1000;
  const adds: Addition[] = [];
  const folder = (
    path: string,
    permissions: number,
    who: { uid: number; gid: number },
    attributes: NewFile['attributes'] = programLabel,
  ) => adds.push({ path, type: 'directory', permissions, ...who, attributes, modifiedAt });
  const file = (
    path: string,
    bytes: Buffer,
    permissions: number,
    who: { uid: number; gid: number },
    attributes: NewFile['attributes'] = programLabel,
  ) =>
    adds.push({
      ...{ path, type: 'file', permissions, ...who, attributes, modifiedAt, bytes: bytes.length },
      content: onePiece(bytes),
    });
  for (const path of [
    '/app',
    '/data',
    '/user_de',
    '/user_de/0',
    '/system',
    '/system/users',
    '/system/users/0',
    '/media',
    '/media/0',
    '/media/0/Android',
    '/media/0/Android/data',
  ])
    if (!(await fs.find(path))) folder(path, 0o771, systemOwned, []);
  const given = new Map<string, number>();
  const ids = [...packages.matchAll(/\buserId="(\d+)"/g)].map(([, id]) => Number(id));
  let next = Math.max(10_100, ...ids) + 1;
  for (const [i, app] of apps.entries()) {
    const { name, versionCode, sharedUserId, installer } = app;
    if (tagOf(packages, 'package', name)) continue;
    const uid = (sharedUserId && given.get(sharedUserId)) || next++;
    if (sharedUserId) given.set(sharedUserId, uid);
    const seed = 7000 + i * 10;
    const program: Program = { ...app, package: name, minSdk: 24, targetSdk: 28, duties: ['launcher'] };
    const build = { versionCode, seed, bytes: app.kibibytes * 1024 };
    const code = `/app/${name}-1`;
    folder(code, 0o755, systemOwned);
    file(`${code}/base.apk`, apkOf(program, build), 0o644, systemOwned);
    for (const [n, split] of (app.splits ?? []).entries()) {
      const files = [{ name: `assets/${split}.bin`, bytes: filler('program', seed + n + 1, 30_000) }];
      const bytes = apkOf({ ...program, duties: [], permissions: [] }, build, { split, files });
      file(`${code}/split_${split}.apk`, bytes, 0o644, systemOwned);
    }
    const own = { uid, gid: uid };
    const label = labelled(`u:object_r:app_data_file:s0:${categoriesOf({ user: 0, appId: uid })}`);
    folder(`/data/${name}`, 0o700, own, label);
    folder(`/user_de/0/${name}`, 0o700, own, label);
    if (app.dataKibibytes > 0) {
      folder(`/data/${name}/databases`, 0o771, own, label);
      const rows = notebookDatabase(seed, app.dataKibibytes * 1024);
      file(`/data/${name}/databases/${name.split('.')[1]!}.db`, rows, 0o660, own, label);
      const cache = { uid, gid: cacheGroupOf({ user: 0, appId: uid }) };
      folder(`/data/${name}/cache`, 0o2771, cache, label);
      file(`/data/${name}/cache/tiles.bin`, filler('program', seed + 5, 24_000), 0o600, cache, label);
    }
    if (app.sharesKibibytes) {
      const media = { uid, gid: 1078 };
      folder(`/media/0/Android/data/${name}`, 0o771, media, []);
      const bytes = filler('program', seed + 6, app.sharesKibibytes * 1024);
      file(`/media/0/Android/data/${name}/kept.bin`, bytes, 0o660, media, []);
    }
    packages = withPackage(packages, {
      ...{ name, codePath: `/data${code}`, userId: uid, version: versionCode, installer },
      ...{ firstInstalledAt: at + i * 86_400_000, updatedAt: at + (i + 20) * 86_400_000 },
    });
    list = withListLine(list, name, uid);
    grants = withGrants(
      grants,
      name,
      new Map(app.permissions.map((each, n) => [`android.permission.${each}`, n % 3 !== 2])),
    );
  }
  const gone = { uid: next + 40, gid: next + 40 };
  const goneLabel = labelled(`u:object_r:app_data_file:s0:${categoriesOf({ user: 0, appId: gone.uid })}`);
  if (!(await fs.find(`/data/${removed.oldtides}`))) {
    folder(`/data/${removed.oldtides}`, 0o700, gone, goneLabel);
    folder(`/data/${removed.oldtides}/databases`, 0o771, gone, goneLabel);
    const rows = notebookDatabase(7900, 500 * 1024);
    file(`/data/${removed.oldtides}/databases/tides.db`, rows, 0o660, gone, goneLabel);
    folder(`/user_de/0/${removed.oldtides}`, 0o700, gone, goneLabel);
    // Removed with its data kept: it has its id still.
    const away = { uid: gone.uid + 2, gid: gone.uid + 2 };
    const awayLabel = labelled(`u:object_r:app_data_file:s0:${categoriesOf({ user: 0, appId: away.uid })}`);
    folder(`/data/${removed.bellbuoy}`, 0o700, away, awayLabel);
    file(`/data/${removed.bellbuoy}/marks.db`, notebookDatabase(7950, 120 * 1024), 0o660, away, awayLabel);
    packages = withPackage(packages, {
      ...{
        name: removed.bellbuoy,
        codePath: `/data/app/${removed.bellbuoy}-1`,
        userId: away.uid,
        version: 6,
      },
      ...{ firstInstalledAt: at, updatedAt: at, installer: shop },
    });
    const media = { uid: gone.uid + 1, gid: 1078 };
    folder(`/app/${removed.ferrygame}-2`, 0o755, systemOwned);
    const game: Program = {
      ...{ package: removed.ferrygame, label: 'Ferry Game', signer: 'dune', minSdk: 24, targetSdk: 28 },
      ...{ abis: [], permissions: [], duties: [], shape: 'half', colour: colours.rust },
    };
    // An update that was not ended: what there is of it is no program.
    for (const path of ['/misc', '/misc/profiles', '/misc/profiles/ref'])
      if (!(await fs.find(path))) folder(path, 0o771, systemOwned, []);
    folder(`/misc/profiles/ref/${removed.ferrygame}`, 0o770, systemOwned, []);
    const profile = filler('program', 7915, 9000);
    file(`/misc/profiles/ref/${removed.ferrygame}/primary.prof`, profile, 0o640, systemOwned, []);
    const half = apkOf(game, { versionCode: 3, seed: 7910, bytes: 200 * 1024 }).subarray(0, 120 * 1024);
    file(`/app/${removed.ferrygame}-2/base.apk`, Buffer.from(half), 0o644, systemOwned);
    for (const [name, kibibytes] of [
      [removed.ferrygame, 900],
      [removed.sandtimer, 60],
    ] as const) {
      folder(`/media/0/Android/data/${name}`, 0o771, media, []);
      folder(`/media/0/Android/data/${name}/files`, 0o771, media, []);
      const bytes = filler('program', 7920 + kibibytes, kibibytes * 1024);
      file(`/media/0/Android/data/${name}/files/kept.bin`, bytes, 0o660, media, []);
    }
  }
  const secure = await read(homeFiles.secure());
  const listener = `${removed.ferrygame}/${removed.ferrygame}.Harbour`;
  for (const [path, text] of [
    [homeFiles.secure(), secure && withListener(secure, listener)],
    [settingsFiles.packages, packages],
    [settingsFiles.list, list],
    [settingsFiles.grants, grants],
  ] as const) {
    if (text === '') continue;
    const there = await fs.find(path);
    file(
      path,
      Buffer.from(text),
      there?.permissions ?? 0o660,
      { uid: there?.uid ?? 1000, gid: there?.gid ?? 1000 },
      there ? await fs.attributes(there) : [],
    );
  }
  await editTree(userData, { adds });
}
