// Archives that a recovery installs by itself, run by the tools that recoveries have: mksh with toybox, and busybox, on ext4 by the
// kernel. What is in them is judged by Debian's unzip and sha256sum; what comes out, by the kernel.
import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import {
  chownSync,
  lchownSync,
  linkSync,
  mkdirSync,
  readFileSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { createWriteStream } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { CopiedApp, PartKind } from '@keen-larder/core/apps/copies.ts';
import { LarderBench, type OpenLarder } from '../../../testing/larder.ts';
import { testFolder } from '../../../testing/folder.ts';
import {
  ArchivePhones,
  layFile as put,
  listed,
  packagesList,
  packagesXml,
  recoveries,
} from '../../../testing/userland/archive-phones.ts';
import { census } from '../../../testing/userland/odd-files.ts';
import { whyNotHere, type UserlandPhone } from '../../../testing/userland/userland-phone.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { carried, carryAlongZip } from './carry-along.ts';

const missing = whyNotHere();
const folder = testFolder();
afterAll(() => folder.remove());
const [uidThen, uidNow] = [10_061, 10_077];
const tidebook = 'example.tidebook';
const waiting = 'example.dunebank';
const apk = Buffer.alloc(90_000, 'a program of a kind');
const label = 'u:object_r:app_data_file:s0:c77,c256,c512,c768';
const here = '/data/local/tmp/keen-larder';

/** An app's data as it was kept, and as nobody expects it. */
function layData(root: string): void {
  put(root, 'databases/tides.db', Buffer.alloc(300_000, 'tide'), uidThen, 0o660);
  put(root, 'files/a note, "quoted" $HOME', 'high water at six', uidThen);
  put(root, 'files/with\na line feed and a \\', 'odd', uidThen);
  put(root, 'files/ünïcode 漢字', 'odd as well', uidThen);
  put(root, 'files/-rf', 'a dash', uidThen);
  put(root, 'files/.hidden', '', uidThen);
  put(root, '.first', 'a name with a dot', uidThen);
  put(root, '..two', 'a name with two', uidThen);
  put(root, 'files/cached', 'by the group of its cache', uidThen, 0o660, uidThen + 10_000);
  for (let i = 0; i < 200; i++) put(root, `files/many/${i}`, `${i}`, uidThen);
  linkSync(join(root, 'files/-rf'), join(root, 'files/hard link'));
  symlinkSync('/data/app/elsewhere/lib', join(root, 'lib'));
  lchownSync(join(root, 'lib'), uidThen, uidThen);
  for (const at of ['.', 'databases', 'files', 'files/many']) chownSync(join(root, at), uidThen, uidThen);
}

/** User data of the phone that it goes to, after a reset: the app is there, with a file of its own. */
function layPhone(root: string): void {
  put(root, 'system/packages.list', packagesList([listed(tidebook, uidNow, 41)]), 1000, 0o640);
  put(root, 'system/packages.xml', packagesXml(28), 1000, 0o660);
  put(root, `data/${tidebook}/files/new since`, 'written after the reset', uidNow);
  put(root, `data/${tidebook}/cache/tile`, 'x', uidNow);
  mkdirSync(join(root, `user_de/0/${tidebook}`), { recursive: true });
  mkdirSync(join(root, 'media/0/Android/data'), { recursive: true });
  mkdirSync(join(root, 'local/tmp'), { recursive: true });
  for (const at of [
    `data/${tidebook}`,
    `data/${tidebook}/files`,
    `data/${tidebook}/cache`,
    `user_de/0/${tidebook}`,
  ]) {
    chownSync(join(root, at), uidNow, uidNow);
    execFileSync('setfattr', ['-n', 'security.selinux', '-v', label, join(root, at)]);
  }
}

const asked = ['CAMERA', 'READ_CONTACTS', 'READ_SMS'].map((name) => ({
  name: `android.permission.${name}`,
  granted: name !== 'READ_SMS',
}));

const bench = new LarderBench();
let open: OpenLarder;
let archive: string;
/** What the kernel says of the data that was kept. */
let kept: Map<string, string>;

const appOf = (name: string, over: Partial<CopiedApp> = {}): CopiedApp => ({
  ...{ package: name, label: name.slice(8), versionCode: 41, versionName: '4.1', uid: uidThen, abis: [] },
  ...{
    certificates: [],
    isBuiltIn: false,
    isEnabled: true,
    permissions: [],
    hasHardwareKeys: false,
    sdk: 28,
  },
  ...over,
});

async function keepApp(
  app: CopiedApp,
  parts: readonly (readonly [string, PartKind, Buffer])[],
  model = 'Knot 3',
) {
  return open.larder.whileWriting(async () => {
    const writer = new SetWriter(open.shelf);
    const stored = [];
    for (const [name, kind, bytes] of parts) {
      const image = writer.image(bytes.length);
      await image.take(
        (async function* () {
          yield await Promise.resolve(bytes);
        })(),
      );
      stored.push({ name, kind, stored: await image.finish() });
    }
    await writer.seal();
    return open.larder.copies.add({
      phone: { serial: `TW3K-${model}`, maker: 'Tidewell', model, nickname: model },
      ...{ createdAt: bench.clock.wall, addedBytes: 0, facts: app, parts: stored },
    });
  });
}

async function archiveOf(ids: readonly string[], name: string): Promise<string> {
  const path = join(folder.path, name);
  await pipeline(
    carryAlongZip(open.larder, carried(open.larder, { apps: ids, records: [] })),
    createWriteStream(path),
  );
  return path;
}

const tarOf = (root: string): Buffer =>
  execFileSync('tar', ['--numeric-owner', '--format=pax', '-C', root, '-cf', '-', '.'], {
    maxBuffer: 1 << 28,
  });

const ids: Record<string, string> = {};
let programAlone: string;
beforeAll(async () => {
  open = await bench.open();
  const data = join(folder.path, 'data');
  mkdirSync(data);
  layData(data);
  kept = census(data);
  const shared = join(folder.path, 'shared');
  put(shared, 'maps/coast.map', Buffer.alloc(50_000, 'map'), uidThen, 0o660, 1023);
  const prefs = join(folder.path, 'prefs');
  put(prefs, 'shared_prefs/alarms.xml', '<map />', uidThen, 0o660);
  ids[tidebook] = await keepApp(appOf(tidebook, { home: { androidId: '0123456789abcdef' } }), [
    ['base.apk', 'program', apk],
    ['data.tar', 'data', tarOf(data)],
    ['device-data.tar', 'device-data', tarOf(prefs)],
    ['external.tar', 'external', tarOf(shared)],
  ]);
  ids[waiting] = await keepApp(appOf(waiting, { uid: 10_062, permissions: asked }), [
    ['base.apk', 'program', apk],
    ['split_config.en.apk', 'program', apk.subarray(0, 10_000)],
    ['data.tar', 'data', tarOf(prefs)],
  ]);
  programAlone = await keepApp(appOf(tidebook), [['base.apk', 'program', apk]]);
  archive = await archiveOf([ids[tidebook], ids[waiting]], 'apps.zip');
});
afterAll(() => bench.close());

describe.skipIf(missing !== undefined)('the archive', () => {
  it('is a ZIP that unzip opens, with checksums that sha256sum finds right', () => {
    const out = join(folder.path, 'unzipped');
    execFileSync('unzip', ['-q', archive, '-d', out]);
    const said = execFileSync('sha256sum', ['-c', 'SHA256SUMS'], { cwd: out, encoding: 'utf8' });
    expect(said.trim().split('\n').length).toBe(11);
    expect(readFileSync(join(out, 'carry/1/base.apk')).equals(apk)).toBe(true);
    const about = readFileSync(join(out, 'carry/about.json'), 'utf8');
    expect(about).toMatch(/"model": "Knot 3"/);
    for (const identity of ['TW3K', 'androidId', '0123456789abcdef']) expect(about).not.toContain(identity);
    for (const shell of ['mksh', 'busybox'])
      execFileSync(shell, [
        ...(shell === 'busybox' ? ['sh'] : []),
        '-n',
        join(out, 'META-INF/com/google/android/update-binary'),
      ]);
  });

  it('is not made of what may not go into one', async () => {
    const other = await keepApp(appOf('example.other'), [['base.apk', 'program', apk]], 'Knot 5');
    const second = await keepApp(appOf('example.second', { uid: 1_010_061 }), [['base.apk', 'program', apk]]);
    const part = await keepApp(appOf('example.part', { uid: 1001 }), [['base.apk', 'program', apk]]);
    const why = (...some: string[]) => {
      try {
        carried(open.larder, { apps: some, records: [] });
        return undefined;
      } catch (error) {
        return (error as Error).message;
      }
    };
    expect(why()).toBe('Pick copies of apps in the list.');
    expect(why(ids[tidebook]!, other)).toBe('Knot 3 and Knot 5: an archive is for one model.');
    expect(why(ids[tidebook]!, ids[tidebook]!)).toBe('tidebook: pick one copy of each app.');
    expect(why(second)).toBe(
      'second: it is not of the phone’s owner, for whom alone a recovery can tell the place.',
    );
    expect(why(part)).toBe(
      'part: its data belongs to one build. Put it back with the bench, which knows the build.',
    );
  });
});

/** A package manager that keeps what it is given (words of AOSP's PackageManagerShellCommand), and makes folders as installd does. */
const pm = `case "$1" in
install-create) n=$(ls /tmp/sessions 2>/dev/null | wc -l); mkdir -p /tmp/sessions/$n; echo "Success: created install session [$n]";;
install-write) cat > "/tmp/sessions/$4/$5"; [ "$(($(wc -c < "/tmp/sessions/$4/$5")))" = "$3" ] || { echo "Failure: size"; exit 1; }; echo "Success: streamed $3 bytes";;
install-commit)
  [ -e /tmp/refuse ] && { echo "Failure [INSTALL_FAILED_VERSION_DOWNGRADE]"; exit 1; }
  echo '${listed(waiting, 10_080, 41)}' >> /data/system/packages.list
  mkdir -p /data/data/${waiting} && chown 10080:10080 /data/data/${waiting}
  echo Success;;
grant) cat >/dev/null; echo "$2 $3" >> /tmp/grants;;
*) exit 1;;
esac`;

describe.skipIf(missing !== undefined).each(recoveries)('installed by %s', (name, personality, shell) => {
  const phones = new ArchivePhones(join(folder.path, name.replaceAll(' ', '-')), personality, shell);
  afterAll(() => phones.close());
  const phone = (
    over: Record<string, string> = {},
    mebibytes = 24,
    lay: (root: string) => void = layPhone,
    shims: Readonly<Record<string, string>> = {},
  ) => phones.start(archive, lay, { properties: over, mebibytes, shims });
  const install = (on: UserlandPhone, before = '') => phones.install(on, before);
  const dataOf = (on: UserlandPhone, path: string) => phones.dataOf(on, path);
  const asNow = (facts: Map<string, string>) =>
    [...facts]
      .map(
        ([path, fact]) =>
          `${path} ${fact.replaceAll(String(uidThen), String(uidNow)).replaceAll(String(uidThen + 10_000), String(uidNow + 10_000))}`,
      )
      .sort();

  it('puts data in place with the owners of this phone; what is not installed waits with its program', async () => {
    const on = await phone();
    const { said, stderr, exitCode } = install(on);
    expect(stderr).toBe('');
    expect(said).toEqual([
      'tidebook: its data is in place.',
      `dunebank: its program waits in ${here}.`,
      '1 put back, 1 waiting for their programs, 0 not put back.',
      `Start the phone, run: adb shell sh ${here}/install.sh (it needs no root), then install this archive once more.`,
    ]);
    expect(exitCode).toBe(0);
    expect([...dataOf(on, `data/${tidebook}`)].map(([path, fact]) => `${path} ${fact}`).sort()).toEqual(
      asNow(kept),
    );
    expect(on.shell(`cat /data/user_de/0/${tidebook}/shared_prefs/alarms.xml`).stdout.toString()).toBe(
      '<map />',
    );
    expect(
      on.shell(`ls -ln /data/media/0/Android/data/${tidebook}/maps/coast.map`).stdout.toString(),
    ).toMatch(new RegExp(`${uidNow} +1023 +50000`));
    expect(
      on
        .shell(`cd ${here}/programs/${waiting} && sha256sum *.apk | cut -c 1-8`)
        .stdout.toString()
        .trim()
        .split('\n').length,
    ).toBe(2);
    expect(on.shell(`cat ${here}/carry-along.log`).stdout.toString().split('\n')[0]).toBe(
      'tidebook: its data is in place.',
    );
  });

  const namesIn = (on: UserlandPhone) =>
    on.shell(`ls -A /data/data/${tidebook}`).stdout.toString().trim().split('\n').sort();
  const isAsKept = (on: UserlandPhone) =>
    expect([...dataOf(on, `data/${tidebook}`)].map(([path, fact]) => `${path} ${fact}`).sort()).toEqual(
      asNow(kept),
    );
  const old = 'written after the reset';
  const newSince = (on: UserlandPhone) =>
    on.shell(`cat "/data/data/${tidebook}/files/new since"`).stdout.toString();
  const isAsBefore = (on: UserlandPhone) => {
    expect(namesIn(on)).toEqual(['cache', 'files']);
    expect(newSince(on)).toBe(old);
  };
  const asAfterReset = (on: UserlandPhone) =>
    void on.shell(
      `rm -rf ${here}/programs; cd /data/data/${tidebook} && rm -rf ./* ./.[!.]* ./..?* && mkdir files cache && printf '${old}' > 'files/new since' && chown -R ${uidNow}:${uidNow} .`,
    );

  it('changes nothing on another model, on an older Android, where user data is locked, or of a damaged archive', async () => {
    const on = await phone();
    const refused = (why: string, before = '', at = on) => {
      const { said, exitCode } = install(at, before);
      expect(said).toEqual([`Nothing was changed: ${why}`]);
      expect(exitCode).toBe(1);
      isAsBefore(at);
    };
    refused(
      'the archive is damaged. Copy it onto the phone again.',
      `sed -i 's/^plan_sum=../plan_sum=00/' /tmp/update-binary;`,
    );
    on.shell('mv /data/system /data/system.away');
    refused('user data is not open here. Unlock it in recovery, or start the phone once after a reset.');
    on.shell('mv /data/system.away /data/system; dd if=/dev/zero of=/data/filler bs=1024 count=14000');
    expect(install(on).said).toEqual([
      expect.stringMatching(/^Nothing was changed: it needs \d+ KiB of room on \/data, and \d+ are free\.$/),
    ]);
    isAsBefore(on);
    refused(
      'it is for a Knot 3, and this phone is not one.',
      '',
      await phone({ 'ro.product.model': 'Knot 30' }),
    );
    refused(
      'its data is of Android API level 28, and this phone has 27.',
      '',
      await phone({}, 24, (root) => {
        layPhone(root);
        writeFileSync(join(root, 'system/packages.xml'), packagesXml(27));
      }),
    );
    refused(
      'this phone does not say which Android it has. Mount its system in recovery.',
      '',
      // Since Android 12 it is no text any more.
      await phone({}, 24, (root) => {
        layPhone(root);
        writeFileSync(join(root, 'system/packages.xml'), 'ABX\0');
      }),
    );
    // A recovery is of another Android than the system that it repairs.
    const newer = await phone({ 'ro.build.version.sdk': '27', 'ro.product.model': 'A recovery' });
    newer.write('system/build.prop', 'ro.build.version.sdk=29\nro.product.model=Knot 3\n');
    expect(install(newer).exitCode).toBe(0);
    isAsKept(newer);
  });

  it('opens user data and the system itself where recovery mounts what it is asked for, and closes them', async () => {
    const on = await phone(
      {},
      24,
      (root) => {
        layPhone(root);
        writeFileSync(join(root, 'system/packages.xml'), 'ABX\0');
      },
      {
        mount: [
          'for last; do :; done',
          'echo "$@" >>/tmp/asked',
          'if [ "$*" = /data ]; then exec /system/bin/TOOL mount -t ext4 /dev/block/by-name/userdata /data; fi',
          'if [ "$*" = "-o ro /system" ]; then echo ro.build.version.sdk=28 >/system/build.prop; exit; fi',
          'if [ $# -gt 3 ]; then exec /system/bin/TOOL mount "$@"; fi',
          'exit 1',
        ]
          .join('\n')
          .replaceAll('TOOL', personality.tools),
      },
    );
    on.shell('umount /data');
    expect(install(on).said.slice(0, 1)).toEqual(['tidebook: its data is in place.']);
    expect(on.shell('cat /tmp/asked').stdout.toString().split('\n')).toEqual(
      expect.arrayContaining(['/data', '-o ro /system_root', '-o ro /system']),
    );
    expect(on.shell('ls -A /data').stdout.toString()).toBe('');
    on.shell('mount -t ext4 /dev/block/by-name/userdata /data');
    isAsKept(on);
  });

  it('leaves an app as it was where room runs out on the way', async () => {
    const on = await phone();
    const whole = on.shell('df -k /data | tail -n 1').stdout.toString().trim().split(/\s+/);
    const free = Number(whole.at(-3));
    let failed = 0;
    for (const left of [600, 420, 300, 150, 40, 4]) {
      on.shell(`dd if=/dev/zero of=/data/filler bs=1024 count=${free - left}; sync`);
      // It says that there is room.
      const { said, exitCode } = install(on, `sed -i 's/^free=.*/free=9999999/' /tmp/update-binary;`);
      on.shell('rm /data/filler');
      if (exitCode === 0 || said.includes('tidebook: its data is in place.')) isAsKept(on);
      else {
        expect(said.join('\n'), `${left} KiB left`).toMatch(/[12] not put back\.|^Nothing was changed/);
        expect(namesIn(on)).toEqual(['cache', 'files']);
        expect(newSince(on)).toBe(old);
        failed++;
      }
      expect(on.shell(`ls -A ${here}/programs`).stdout.toString().trim()).toBe(
        said.join().includes('waits') ? waiting : '',
      );
      asAfterReset(on);
    }
    expect(failed).toBeGreaterThan(2);
    expect(install(on).exitCode).toBe(0);
    isAsKept(on);
  });

  it('is whole after it was killed anywhere and run again', async () => {
    const on = await phone();
    const points = phones.killEverywhere(
      on,
      () => asAfterReset(on),
      (point) => {
        const names = namesIn(on);
        const isOld = newSince(on) === old;
        const isNew = names.includes('databases') && names.includes('..two') && names.includes('lib');
        // Half of it is never there without the mark by which it is undone.
        if (!names.includes('.keen-larder-before'))
          expect(isOld || isNew, `killed at ${point}: ${names.join()}`).toBe(true);
        expect(install(on).exitCode, `killed at ${point}`).toBe(0);
        isAsKept(on);
        expect(on.shell(`ls ${here}/programs`).stdout.toString().trim()).toBe(waiting);
      },
    );
    expect(points).toBeGreaterThan(40);
  });

  it('goes on where a program was installed meanwhile, and does not put new data into an old program', async () => {
    const on = await phone();
    expect(install(on).exitCode).toBe(0);
    on.shell(
      `cat > /data/system/packages.list`,
      Buffer.from(packagesList([listed(tidebook, uidNow, 41), listed(waiting, 10_080, 41)])),
    );
    on.shell(`mkdir -p /data/data/${waiting} && chown 10080:10080 /data/data/${waiting}`);
    expect(install(on).said).toEqual([
      'tidebook: its data is in place.',
      'dunebank: its data is in place.',
      '2 put back, 0 waiting for their programs, 0 not put back.',
    ]);
    expect(on.shell(`ls -ln /data/data/${waiting}/shared_prefs`).stdout.toString()).toMatch(/10080 +10080/);
    isAsKept(on);
    on.shell(
      `cat > /data/system/packages.list`,
      Buffer.from(packagesList([listed(tidebook, uidNow, 40), listed(waiting, 10_080, 42)])),
    );
    expect(install(on).said.slice(0, 2)).toEqual([
      `tidebook: its program waits in ${here}.`,
      'dunebank: its data is in place.',
    ]);
    expect(on.shell(`ls ${here}/programs`).stdout.toString().trim()).toBe(tidebook);
  });

  it('has programs installed by the shell, each whole, and keeps those that are refused', async () => {
    const on = await phone({}, 24, layPhone, { pm });
    expect(install(on).exitCode).toBe(0);
    const there = () => on.shell(`ls ${here}/programs`).stdout.toString().trim();
    // Of the user that adb has, to whom they belong.
    expect(on.shell(`stat -c %u ${here} ${here}/programs/${waiting}/base.apk`).stdout.toString()).toBe(
      '2000\n2000\n',
    );
    on.shell('touch /tmp/refuse');
    expect(on.shell(`${shell} ${here}/install.sh`).stdout.toString()).toMatch(
      /INSTALL_FAILED_VERSION_DOWNGRADE.*not installed/s,
    );
    expect(there()).toBe(waiting);
    on.shell('rm -rf /tmp/refuse /tmp/sessions');
    expect(on.shell(`${shell} ${here}/install.sh`).exitCode).toBe(0);
    expect(there()).toBe('');
    expect(on.shell('cat /tmp/grants').stdout.toString()).toBe(
      `${waiting} android.permission.CAMERA\n${waiting} android.permission.READ_CONTACTS\n`,
    );
    const given = on.shell('cd /tmp/sessions/0 && sha256sum * | sort -k 2').stdout.toString();
    const digest = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');
    expect(given).toBe(`${digest(apk)}  base.apk\n${digest(apk.subarray(0, 10_000))}  split_config.en.apk\n`);
    expect(install(on).said.slice(0, 2)).toEqual([
      'tidebook: its data is in place.',
      'dunebank: its data is in place.',
    ]);
  });

  it('installs programs and puts data in place at once where root runs it in the system', async () => {
    const am = 'echo "$@" >> /tmp/am.log';
    const on = await phone({ 'sys.boot_completed': '1' }, 24, layPhone, { pm, am });
    const { said, stderr, exitCode } = install(on);
    expect(stderr).toBe('');
    expect(said).toEqual([
      'tidebook: its data is in place.',
      'dunebank: its data is in place.',
      '2 put back, 0 waiting for their programs, 0 not put back.',
    ]);
    expect(exitCode).toBe(0);
    expect(on.shell('cat /tmp/am.log').stdout.toString()).toBe(
      `force-stop ${tidebook}\nforce-stop ${waiting}\n`,
    );
    expect(on.shell(`ls -ln /data/data/${waiting}/shared_prefs`).stdout.toString()).toMatch(/10080 +10080/);
    isAsKept(on);
  });

  it('says so where it has no data of an app that is there', async () => {
    const on = await phone();
    phones.give(on, await archiveOf([programAlone], 'program.zip'));
    expect(install(on).said[0]).toBe('tidebook: it is installed, and this archive has no data of it.');
    isAsBefore(on);
  });
});
