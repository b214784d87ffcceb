// Every command line that the application can send, on the simulated shell and on the tools that phones have, over the same
// flash: what differs fails, or stands in the list of differences with its reason. Source of the tools: Debian's packages
// mksh, busybox and toybox (its source, built with `dd`). The table of all of them makes this file long.
import { execFileSync } from 'node:child_process';
import { gunzipSync, gzipSync } from 'node:zlib';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readGpt } from '@keen-larder/core/formats/gpt/gpt.ts';
import { Flash } from '@keen-larder/standin/flash/flash.ts';
import type { ShellHost } from '@keen-larder/standin/shell/host.ts';
import { runScript } from '@keen-larder/standin/shell/language/run.ts';
import { tarEnd, tarHeader, tarPadding } from '../../formats/tar-header.ts';
import { testFolder } from '../../../testing/folder.ts';
import { knot3Flash } from '../../../testing/flashes.ts';
import { UserlandPhone, whyNotHere, type Personality } from '../../../testing/userland/userland-phone.ts';
import { commands, piecesScript, rangesScript, waitingFolder } from './commands.ts';

const missing = whyNotHere();
const folder = testFolder();
afterAll(() => folder.remove());

interface Said {
  readonly stdout: Buffer;
  readonly stderr: string;
  readonly exitCode: number;
}
/** One line as it is sent, and what tells afterwards what it did. */
interface Sample {
  readonly line: string;
  readonly input?: Uint8Array;
  readonly then?: string;
  /** What of the answer the application reads; all of it when left out. */
  readonly as?: (said: string) => unknown;
}
type Key = keyof typeof commands;

const node = '/dev/block/by-name/logo';
const ranges = [
  { offset: 0, bytes: 4096 },
  { offset: 8192, bytes: 300_000 },
  { offset: 1 << 20, bytes: 5 << 20 },
  { offset: 513, bytes: 77 },
];
const app = '/data/data/example.tidebook';
const lines = (text: string) => text.split('\n').filter(Boolean).sort();
/** Of what a tool packs: each has its own head. */
const unzipped = (said: string) => gunzipSync(Buffer.from(said, 'latin1')).toString('base64');
const digestOf = (path: string) => `sha256sum ${path}`;
const listing = (path: string) =>
  `cd ${path} && find . -exec stat -c '%F|%u %g %a %s %Y %C %n' '{}' + 2>/dev/null`;
const ownLabel = 'u:object_r:app_data_file:s0:c61,c256,c512,c768';
const archive = Buffer.concat([
  tarHeader({
    name: './',
    type: 'directory',
    uid: 10061,
    gid: 10061,
    mode: 0o700,
    modifiedAt: 1_700_000_000,
    bytes: 0,
  }),
  ...[
    ['./plain', 'bytes'],
    [`./${'long name '.repeat(14)}`, ''],
    ["./it's", 'quoted'],
  ].flatMap(([name, text]) => [
    tarHeader({
      name: name!,
      type: 'file',
      uid: 10061,
      gid: 10061,
      mode: 0,
      modifiedAt: 1_700_000_001,
      bytes: text!.length,
    }),
    Buffer.from(text!),
    tarPadding(text!.length),
  ]),
  tarHeader({
    name: './link',
    type: 'symlink',
    target: '/data/'.padEnd(150, 'x'),
    uid: 10061,
    gid: 10061,
    mode: 0o777,
    modifiedAt: 1_700_000_002,
    bytes: 0,
  }),
  tarHeader({
    name: './hard',
    type: 'link',
    target: './plain',
    uid: 10061,
    gid: 10061,
    mode: 0,
    modifiedAt: 1_700_000_001,
    bytes: 0,
  }),
  tarEnd(),
]);
/** Without times of folders, which change with what is in them, and sizes of folders, which file systems round otherwise. */
const tree = (text: string) =>
  lines(text).map((line) =>
    line
      .replace(/^(directory\|\S+ \S+ \S+) \S+ \S+/, '$1')
      .replace(/^(symbolic link.*?\S+ \S+ \S+) \d+ \d+ \S+/, '$1'),
  );

const of = <K extends Key>(reason: string, ...keys: K[]) =>
  Object.fromEntries(keys.map((key) => [key, reason])) as Readonly<Record<K, string>>;

/** In this order, since some change what later ones find. */
const samples: Readonly<Record<Key, readonly Sample[] | string>> = {
  userId: [{ line: commands.userId() }],
  ...of('getprop is Android’s own', 'properties', 'property'),
  ...of('cmd is Android’s own', 'appOps', 'setAppOp', 'appLanguages', 'setAppLanguages'),
  ...of('cmd is Android’s own', 'allowListener', 'disallowListener'),
  ...of('am is Android’s own', 'openFile', 'startUser'),
  ...of('cmd is Android’s own', 'sparedApps', 'spareApp', 'giveRole'),
  ...of('settings and telecom are Android’s own', 'secureSetting', 'setSecureSetting', 'setDialer'),
  ...of('dumpsys is Android’s own', 'users', 'batteryOfSystem', 'allPackages', 'describePackage'),
  ...of('service is Android’s own', 'imei'),
  ...of(
    'pm is Android’s own',
    'packagePaths',
    'beginInstall',
    'writeInstall',
    'writeInstallFrom',
    'commitInstall',
    'abandonInstall',
    'uninstall',
    'uninstallForAll',
    'enable',
    'disable',
    'grant',
    'revoke',
  ),
  ...of('am is Android’s own', 'stopApp'),
  ...of('bu is Android’s own', 'backUp', 'takeBackup'),
  ...of('cmd is Android’s own', 'bringBack'),
  ...of('content is Android’s own', 'queryProvider'),
  whereTools: [
    {
      line: commands.whereTools(['stat', 'tar', 'sha256sum', 'no_such_tool']),
      as: (text) => lines(text).map((line) => line.replace(/^.*\//, '')),
    },
  ],
  batteryOfKernel: 'this computer has another kernel',
  listByName: [
    {
      line: commands.listByName('/dev/block/by-name/'),
      as: (text) =>
        text
          .split('\n')
          .map((line) => line.replace(/^.* (\S+ -> )/, '$1'))
          .filter((line) => line.includes('->'))
          .sort(),
    },
    { line: commands.listByName('/dev/block/nowhere/') },
  ],
  searchByName: [{ line: commands.searchByName() }],
  bootAreas: [{ line: commands.bootAreas(), as: lines }],
  nodeSizes: [
    { line: commands.nodeSizes([node, '/dev/block/by-name/boot']) },
    { line: commands.nodeSizes([node, '/dev/block/by-name/nothing', '/dev/block/by-name/misc']) },
  ],
  diskSize: [
    { line: commands.diskSize('/dev/block/mmcblk0') },
    { line: commands.diskSize('/dev/block/sda') },
  ],
  mounts: [{ line: `${commands.mounts()} >/dev/null` }],
  readRanges: [
    { line: commands.readRanges(node, ranges) },
    { line: commands.readRanges('/dev/block/none', ranges) },
  ],
  readRangesPacked: [
    { line: commands.readRangesPacked('gzip', node, ranges), as: unzipped },
    { line: commands.readRangesPacked('gzip', '/dev/block/none', ranges), as: unzipped },
  ],
  packWords: [
    { line: commands.packWords('gzip', 'larder'), as: unzipped },
    { line: commands.packWords('zstd', 'larder') },
  ],
  packAndUnpackWords: [
    { line: commands.packAndUnpackWords('gzip', "lar'der") },
    { line: commands.packAndUnpackWords('zstd', 'larder') },
  ],
  digestNode: [{ line: commands.digestNode('sha256', node) }, { line: commands.digestNode('md5', node) }],
  digestPieces: [
    {
      line: commands.digestPieces(node),
      input: Buffer.from(piecesScript('sha256', node, { offset: 0, bytes: (5 << 20) + 1 }, 1 << 20)),
    },
    {
      line: commands.digestPieces(node),
      input: Buffer.from(piecesScript('md5', node, { offset: 1 << 20, bytes: 4 << 20 }, 2 << 20)),
    },
    {
      line: commands.digestPieces('/dev/block/none'),
      input: Buffer.from(piecesScript('md5', '/dev/block/none', { offset: 0, bytes: 1 << 20 }, 1 << 20)),
    },
  ],
  digestOfNothing: [{ line: commands.digestOfNothing('sha256') }, { line: commands.digestOfNothing('md5') }],
  digestRanges: [
    { line: commands.digestRanges('sha256', node), input: Buffer.from(rangesScript(node, ranges)) },
    { line: commands.digestRanges('md5', node), input: Buffer.from(rangesScript('/dev/block/none', ranges)) },
  ],
  writeAt: [
    { line: commands.writeAt(node, 2 << 20), input: Buffer.alloc(3_000_000, 'piece'), then: digestOf(node) },
    {
      line: commands.writeAt('/dev/block/by-name/misc', 0),
      input: Buffer.alloc(64 << 20, 'more than there is room for'),
    },
  ],
  writePackedAt: [
    {
      line: commands.writePackedAt('gzip', node, 1 << 20),
      input: gzipSync(Buffer.alloc(5_000_000, 'packed')),
      then: digestOf(node),
    },
    // What cannot be unpacked is not written, and says nothing of it by its exit code: the digest does.
    { line: commands.writePackedAt('gzip', node, 0), input: Buffer.from('no gzip'), then: digestOf(node) },
  ],
  writeZeros: [{ line: commands.writeZeros(node, 1 << 20, 2 << 20), then: digestOf(node) }],
  sync: [{ line: commands.sync() }],
  forget: [{ line: commands.forget(node) }],
  mount: [
    { line: commands.mount('ext4', '/dev/block/by-name/logo', '/data', 'ro') },
    { line: commands.mount('ext4', '/dev/block/by-name/userdata', '/data', 'rw'), then: 'ls -A /data' },
  ],
  names: [{ line: commands.names('/data/system') }, { line: commands.names('/data/nowhere') }],
  content: [
    { line: commands.content('/data/system/packages.xml') },
    { line: commands.content('/data/nowhere') },
  ],
  contentIfThere: [{ line: commands.contentIfThere('/data/nowhere') }],
  readFile: [{ line: commands.readFile('/data/system/packages.xml', 1024, 1, 3) }],
  digestFiles: [{ line: commands.digestFiles(app, ['databases/tidebook.db', 'nowhere']) }],
  describeFiles: [{ line: commands.describeFiles([app, '/data/nowhere']), as: lines }],
  datedFiles: [{ line: commands.datedFiles([app, '/data/system']), as: lines }],
  datedFilesIn: [{ line: commands.datedFilesIn('/data/system/'), as: lines }],
  dates: [{ line: commands.dates(['/data/system/packages.xml', '/data/nowhere']) }],
  owners: [{ line: commands.owners(app, ['.', 'databases', 'databases/tidebook.db', 'lib', 'nowhere']) }],
  standing: [
    { line: commands.standing([app, '/data/data/nowhere']) },
    {
      line: `mkdir -p ${app}/.keen-larder-before; ${commands.standing([app])}; rm -rf ${app}/.keen-larder-before`,
    },
  ],
  types: [{ line: commands.types(app, ['databases', 'lib', 'nowhere']) }],
  typeAndSize: [
    { line: commands.typeAndSize('/data/system/packages.xml') },
    { line: commands.typeAndSize('/data/nowhere') },
  ],
  labels: [{ line: commands.labels(app), as: lines }],
  linkTargets: [
    {
      line: commands.linkTargets(app, ['lib', 'nowhere']),
      as: (text) => lines(text).map((line) => line.replace(/^.* (?=lib -> )/, '')),
    },
  ],
  unkept: [{ line: commands.unkept('/data') }],
  // How much the kernel sets aside for itself is its own affair.
  freeSpace: [
    {
      line: commands.freeSpace(),
      as: (text) => [text.trim().split('\n').length, Number(text.trim().split(/\s+/).at(-3)) > 600_000],
    },
  ],
  kibibytes: [{ line: commands.kibibytes('/data/media/none') }],
  tarHelp: [{ line: `${commands.tarHelp()} >/dev/null 2>&1; true` }],
  archiveAlone: [{ line: `${commands.archiveAlone(app, '')} >/dev/null` }],
  archive: [
    {
      line: `mkdir -p /data/packed; ${commands.archive(app, '', ['./databases', './shared_prefs'])} | ${commands.unpack('/data/packed', '')}`,
      then: listing('/data/packed'),
      as: tree,
    },
    { line: `${commands.archive(app, '', ['./nowhere'])} >/dev/null` },
  ],
  unpack: [
    {
      line: `mkdir -p /data/unpacked; ${commands.unpack('/data/unpacked', '')}`,
      input: archive,
      then: listing('/data/unpacked'),
      as: tree,
    },
    { line: commands.unpack('/data/unpacked', ''), input: archive.subarray(0, 700) },
  ],
  unpackPlainly: [
    {
      line: `mkdir -p /data/plainly; ${commands.unpackPlainly('/data/plainly')}`,
      input: archive,
      then: 'find /data/plainly -type f -exec sha256sum {} + | sort',
    },
  ],
  makeFolders: [
    { line: commands.makeFolders(['/data/a/b', '/data/c d']), then: listing('/data/a'), as: tree },
  ],
  makeFoldersOf: [
    { line: commands.makeFoldersOf(1023, ['/data/media', '/data/e']), then: listing('/data/e'), as: tree },
  ],
  makePrivateFolder: [
    {
      line: commands.makePrivateFolder(10_061, '/data/own/f g'),
      then: "stat -c '%u %g %a' /data/own '/data/own/f g'",
    },
  ],
  moveOver: [
    {
      line: `cat /data/plainly/plain > /data/plainly/there; ${commands.moveOver(['/data/plainly/plain'], '/data/a/')}; ${commands.moveOver(['/data/plainly/there'], '/data/a/plain')}`,
      then: 'ls -A /data/a',
    },
    { line: commands.moveOver(['/data/nowhere'], '/data/a/') },
  ],
  move: [
    { line: commands.move(['/data/unpacked/plain', '/data/a/b'], '/data/c d'), then: "ls -A '/data/c d'" },
    { line: commands.move(['/data/nowhere'], '/data/c d') },
  ],
  label: [
    {
      line: commands.label(ownLabel, '/data', ['c d', 'c d/plain']),
      then: "cd '/data/c d' && stat -c '%C %n' . plain",
    },
  ],
  ownLinks: [
    {
      line: commands.ownLinks('1000:1001', '/data/unpacked', ['link']),
      then: "stat -c '%u %g' /data/unpacked/link",
    },
  ],
  writeShared: [
    {
      line: `echo abc | ${commands.writeShared('/data/c d/new')}`,
      then: "cat '/data/c d/new'; rm -f '/data/c d/new'",
    },
  ],
  waitingPrograms: [
    { line: commands.waitingPrograms() },
    {
      line: [
        `mkdir -p ${waitingFolder}/example.one ${waitingFolder}/example.two ${waitingFolder}/.example.three`,
        ...['example.one/base.apk', 'example.one/split_config.en.apk', 'example.two/base.apk'].map(
          (name) => `echo ${name} >${waitingFolder}/${name}`,
        ),
        commands.waitingPrograms(),
      ].join('; '),
      as: lines,
    },
  ],
  waitingGrants: [
    {
      line: `echo example.CAMERA >${waitingFolder}/example.two/grants; ${commands.waitingGrants('example.two')}; ${commands.waitingGrants('example.one')}`,
    },
  ],
  removeWaiting: [{ line: commands.removeWaiting('example.one'), then: `ls ${waitingFolder}` }],
  removeAll: [
    {
      line: commands.removeAll(['/data/c d', '/data/nowhere', '/data/unpacked']),
      then: 'ls -A /data',
      as: lines,
    },
  ],
  unmount: [{ line: commands.unmount('/data') }, { line: commands.unmount('/data') }],
  makeExt4: [
    {
      line: `${commands.makeExt4('/dev/block/by-name/cache')} >/dev/null 2>&1`,
      then: 'mount -t ext4 -o ro /dev/block/by-name/cache /cache && ls -A /cache',
    },
  ],
  makeF2fs: 'Debian’s make_f2fs has another name and other options',
  processes: 'no process of this computer runs on the simulated phone',
  keysOfHardware: [{ line: commands.keysOfHardware('/data/misc/keystore/user_0') }],
};

/** What the tools do otherwise than the simulated shell, which is like toybox, by the tools and the command. */
const knownDifferences: Readonly<Partial<Record<`${Personality['tools']} ${Key}`, string>>> = {
  'busybox unpack': 'busybox leaves the owners of links as they come',
  'busybox archiveAlone': 'busybox leaves no names out; it is asked only where labels are packed',
  'busybox label': 'Debian’s busybox has no chcon',
};

const personalities: readonly Personality[] = [
  { mode: 'recovery', tools: 'toybox', root: 'daemon' },
  { mode: 'recovery', tools: 'busybox', root: 'daemon' },
];

describe.skipIf(missing !== undefined).each(personalities)('$tools', (personality) => {
  const { tools } = personality;
  let phone: UserlandPhone;
  let flash: Flash;
  let host: ShellHost;

  beforeAll(async () => {
    const own = join(folder.path, tools);
    mkdirSync(own);
    const [simulated, real] = [join(own, 'simulated.flash'), join(own, 'real.flash')];
    for (const path of [simulated, real]) execFileSync('cp', ['--sparse=always', await knot3Flash(), path]);
    flash = await Flash.open(simulated);
    const { partitions } = await readGpt(flash, 512);
    phone = await UserlandPhone.start(own, personality, {}, [
      ...partitions.map(({ name, number, startBytes, bytes }) => ({
        name,
        node: `mmcblk0p${number}`,
        bytes: { path: real, offset: startBytes, length: bytes },
      })),
      { name: '', node: 'mmcblk0', bytes: { path: real, offset: 0, length: flash.bytes } },
    ]);
    host = {
      ...{ mode: 'recovery', properties: {}, rootDaemon: true, hasSu: false, flash, disk: 'mmcblk0' },
      ...{ mounts: [], handed: new Map(), startedAt: Date.now(), imei: undefined },
      isAgreedTo: () => Promise.resolve(false),
      battery: () => ({ percent: 80, charging: true }),
      reboot: () => undefined,
    };
  });
  afterAll(async () => {
    await flash?.close();
    await phone?.close();
  });

  /** Debian's busybox tells no labels, and writes the letter it was asked by. */
  const unlabelled = (text: string) =>
    tools === 'toybox' ? text : text.replace(/(^| )(?:C|\?|u:\S+)(?= )/gm, '$1-');

  async function simulated(line: string, input: Uint8Array = new Uint8Array()): Promise<Said> {
    const out: Buffer[] = [];
    let stderr = '';
    async function* stdin() {
      if (input.length > 0) yield Promise.resolve(input);
    }
    const exitCode = await runScript(line, host, {
      stdin: stdin(),
      out: (bytes) => Promise.resolve(void out.push(Buffer.from(bytes))),
      err: (text) => Promise.resolve(void (stderr += text)),
    });
    return { stdout: Buffer.concat(out), stderr, exitCode };
  }

  it.each(Object.keys(samples) as Key[])('%s', async (key) => {
    const all = samples[key];
    if (typeof all === 'string') return;
    for (const { line, input, then, as = (text: string) => text } of all) {
      const told = async (run: (line: string, input?: Uint8Array) => Said | Promise<Said>) => {
        const said = await run(line, input);
        const text = said.stdout.toString('latin1');
        const isGood = said.exitCode === 0;
        if (then === undefined) return { isGood, said: as(unlabelled(text)) };
        return { isGood, said: text, after: as(unlabelled((await run(then)).stdout.toString())) };
      };
      const real = await told((...words) => phone.shell(...words));
      const ours = await told(simulated);
      if (knownDifferences[`${tools} ${key}`]) continue;
      expect.soft(ours, line.slice(0, 300)).toEqual(real);
    }
  });

  it('has few differences', () => {
    const judged = Object.values(samples).filter((all) => typeof all !== 'string');
    const shapes = judged.flat().length;
    process.stdout.write(
      `${tools}: ${shapes} lines of ${judged.length} commands judged, ${Object.keys(samples).length - judged.length} that no package has\n`,
    );
    expect(Object.keys(knownDifferences).length).toBeLessThanOrEqual(10);
  });
});
