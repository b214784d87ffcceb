// Apps and personal records on a phone whose commands are the tools that phones have: mksh and toybox, through `su`, on ext4 by the
// kernel. `pm`, `dumpsys` and `am` are scripts that say what AOSP's own would (frameworks/base, from memory).
import { execFileSync } from 'node:child_process';
import { chownSync, lchownSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openOn, testFolder, until } from '../../testing/bench.ts';
import { census, mounted } from '../../testing/userland/odd-files.ts';
import { UserlandPhone, whyNotHere } from '../../testing/userland/userland-phone.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { startCopying } from '../runs/apps/copying.ts';
import { startRemovingLeftovers } from '../runs/apps/leftovers/removing.ts';
import { startPuttingApps } from '../runs/apps/putting-apps.ts';
import { startKeepingRecords } from '../runs/records/keeping-records.ts';
import { startPuttingRecords } from '../runs/records/putting-records.ts';
import { recordsOnPhone } from '../runs/records/records-on-phone.ts';

const missing = whyNotHere();
const folder = testFolder();
afterAll(() => folder.remove());
const serial = 'UL-40218';
const uid = 10_061;
const name = 'example.tidebook';

const dump = `Packages:
  Package [${name}] (1a2b3c4):
    userId=${uid}
    codePath=/data/app/${name}-1
    versionCode=41 minSdk=24 targetSdk=28
    versionName=4.1
    splits=[base]
    flags=[ HAS_CODE ALLOW_CLEAR_USER_DATA ]
    firstInstallTime=2026-01-02 03:04:05
    lastUpdateTime=2026-03-05 10:11:13
    User 0: ceDataInode=131 installed=true hidden=false stopped=false enabled=0 instant=false
  Package [example.tide.home] (5e6f7a8):
    userId=10012
    codePath=/system/app/home
    versionCode=29 minSdk=24 targetSdk=28
    versionName=2.9
    splits=[base]
    flags=[ SYSTEM HAS_CODE ]
    User 0: ceDataInode=140 installed=true hidden=false stopped=false enabled=0 instant=false
`;
const gone = 'example.gone';
const shims = {
  dumpsys: `case "$1 $2" in
"package packages"|"package ${name}") cat /system/dump;;
"battery ") echo "  status: 5"; echo "  level: 90"; echo "  scale: 100";;
*) echo "Can't find service: $1" >&2; exit 1;;
esac`,
  pm: `case "$1 $2" in
"list packages") echo "package:/data/app/${name}-1/base.apk=${name}";;
*) exit 0;;
esac`,
  am: 'echo "$@" >> /tmp/am.log',
  service: 'exit 1',
};
const apk = Buffer.alloc(300_000, 'a program of a kind');
const contacts = 'data/com.android.providers.contacts/databases/contacts2.db';

/** User data of a system that runs: an app with its data, and contacts. */
function layUserData(root: string): void {
  const put = (path: string, bytes: Uint8Array | string, owner: number, mode: number) => {
    const full = join(root, path);
    mkdirSync(dirname(full), { recursive: true });
    writeFileSync(full, bytes, { mode });
    chownSync(full, owner, owner);
  };
  put('system/packages.xml', '<packages />', 1000, 0o660);
  put(`app/${name}-1/base.apk`, apk, 1000, 0o644);
  put(`data/${name}/databases/tides.db`, Buffer.alloc(90_000, 'tide'), uid, 0o660);
  put(`data/${name}/files/a note, "quoted"`, 'high water at six', uid, 0o600);
  put(`data/${name}/files/empty`, '', uid, 0o600);
  put(`data/${name}/cache/tiles`, Buffer.alloc(5000, 'x'), uid, 0o600);
  put(`user_de/0/${name}/shared_prefs/alarms.xml`, '<map />', uid, 0o660);
  symlinkSync(`/data/app/${name}-1/lib/arm64`, join(root, `data/${name}/lib`));
  lchownSync(join(root, `data/${name}/lib`), uid, uid);
  mkdirSync(join(root, 'user'), { recursive: true });
  symlinkSync('/data/data', join(root, 'user/0'));
  for (const at of [
    `data/${name}`,
    `data/${name}/databases`,
    `data/${name}/files`,
    `data/${name}/cache`,
    `user_de/0/${name}`,
    `user_de/0/${name}/shared_prefs`,
  ])
    chownSync(join(root, at), uid, uid);
  put(`data/${gone}/files/left "behind" $HOME`, 'what nobody reads any more', 10_099, 0o600);
  put(`media/0/Android/data/${gone}/a.bin`, Buffer.alloc(20_000, 'x'), 10_099, 0o660);
  for (const at of [`data/${gone}`, `data/${gone}/files`]) chownSync(join(root, at), 10_099, 10_099);
  put(contacts, '', 10_002, 0o660);
  const db = new Sqlite(join(root, contacts));
  db.exec(`
    CREATE TABLE mimetypes (_id INTEGER PRIMARY KEY, mimetype TEXT);
    CREATE TABLE raw_contacts (_id INTEGER PRIMARY KEY, display_name TEXT, deleted INTEGER DEFAULT 0);
    CREATE TABLE data (_id INTEGER PRIMARY KEY, mimetype_id, raw_contact_id, data1, data2, data3, data4, data5, data6);
    INSERT INTO mimetypes VALUES (1, 'vnd.android.cursor.item/name');
    INSERT INTO raw_contacts (_id, display_name) VALUES (1, 'North hide'), (2, 'Sluice');
    INSERT INTO data (mimetype_id, raw_contact_id, data1) VALUES (1, 1, 'North hide'), (1, 2, 'Sluice');`);
  db.close();
  execFileSync('sh', [
    '-c',
    `cd "$1" && find . -exec setfattr -h -n security.selinux -v u:object_r:app_data_file:s0 '{}' + 2>/dev/null; true`,
    'sh',
    root,
  ]);
}

describe.skipIf(missing !== undefined)('apps and records through su, mksh and toybox', () => {
  let phone: UserlandPhone;
  let app: KeenLarder;
  const told = (id: string) =>
    app.engine
      .logOf(id)
      .map(({ text }) => text)
      .join('\n');
  const asRoot = (script: string) => {
    const { stdout, stderr, exitCode } = phone.shell(script, new Uint8Array(), true);
    if (exitCode !== 0) throw new Error(stderr);
    return stdout.toString();
  };
  /** The app's own files as the kernel has them. */
  const laid = () =>
    phone.unmounted(() =>
      mounted(phone.fileOf('userdata'), (root) =>
        [...census(root)].filter(([path]) => path.includes(name) && !path.includes('/cache')),
      ),
    );

  beforeAll(async () => {
    const image = join(folder.path, 'userdata.img');
    const atOnce = 'lazy_itable_init=0,lazy_journal_init=0';
    execFileSync('mke2fs', ['-q', '-t', 'ext4', '-b', '4096', '-E', atOnce, image, '48M']);
    await mounted(image, layUserData);
    const properties = {
      'ro.serialno': serial,
      'ro.product.manufacturer': 'Tidewell',
      'ro.product.model': 'Knot 3',
      'ro.build.version.sdk': '28',
      'ro.build.version.release': '9',
      'ro.build.fingerprint': 'Tidewell/knot3/knot3:9/X/1:user/release-keys',
      'sys.boot_completed': '1',
    };
    const own = join(folder.path, 'phone');
    mkdirSync(own);
    phone = await UserlandPhone.start(
      own,
      { mode: 'system', tools: 'toybox', root: 'su -c', shims },
      properties,
      [
        { name: 'misc', bytes: new Uint8Array(1 << 20) },
        { name: 'userdata', bytes: readFileSync(image) },
      ],
    );
    phone.write('/system/dump', dump);
    app = await openOn(join(folder.path, 'home'), undefined, { addresses: [phone.address] });
    await until('the phone', () => app.bench.linkIn(serial) !== undefined);
  });
  afterAll(async () => {
    await app?.close();
    await phone?.close();
  });

  it('copies an app, and puts its data back as it was', async () => {
    const listed = await app.bench
      .apps(serial)
      .list()
      .catch((error: unknown) => {
        const { stdout, stderr, exitCode } = phone.shell('dumpsys package packages');
        throw new Error(`${stdout.length} bytes, ${exitCode}: ${stderr}`, { cause: error });
      });
    const found = listed.find((each) => each.package === name);
    expect(found).toMatchObject({ package: name, programBytes: apk.length, versionCode: 41 });
    const parts = ['program', 'data', 'device-data'] as const;
    const before = await laid();
    const start = { apps: [{ package: name, parts: [...parts] }], confirmed: ['battery'] };
    const copied = await app.engine.ended((await startCopying(app, serial, start)).id);
    expect(copied.state, `${copied.outcome}\n${told(copied.id)}`).toBe('done');
    expect(copied.outcome).not.toMatch(/Not copied/);
    asRoot(
      `cd /data/data/${name} && echo other > files/new && rm databases/tides.db && chmod 644 "files/empty" && echo changed > 'files/a note, "quoted"' && rm lib; sync`,
    );
    expect(await laid()).not.toEqual(before);
    const [copy] = app.larder.copies.of(serial);
    const put = await startPuttingApps(app, serial, {
      copies: [{ copyId: copy!.id, parts: ['data', 'device-data'] }],
      confirmed: ['battery', 'hardware-keys', 'older-program', 'signature-unknown'],
      armedWith: serial.slice(-4),
    });
    const ended = await app.engine.ended(put.id);
    expect(ended.state, `${ended.outcome}\n${told(put.id)}`).toBe('done');
    expect(ended.outcome, told(put.id)).not.toMatch(/Not put back/);
    expect(await laid()).toEqual(before);
    expect(asRoot('cat /tmp/am.log')).toMatch(`force-stop --user 0 ${name}`);
  });

  it('finds what a removed app left, keeps it, removes it, and puts it back as it was', async () => {
    const roots = `/data/data/${gone} /data/media/0/Android/data/${gone}`;
    const state = `cd / && find ${roots} -exec stat -c '%F %u %g %a %C %n' {} + | sort; find ${roots} -type f -exec sha256sum {} + | sort`;
    const before = asRoot(state);
    const [left, ...others] = await app.appSheets.leftoverViews(serial);
    expect(others).toEqual([]);
    expect(left).toMatchObject({ package: gone, bytes: 20_026, uid: 10_099, isCertain: true });
    const start = { packages: [gone], keepsFirst: true, confirmed: [] };
    const removing = await app.engine.ended((await startRemovingLeftovers(app, serial, start)).id);
    expect(removing.state, `${removing.outcome}\n${told(removing.id)}`).toBe('done');
    expect(asRoot(`ls -d ${roots} 2>/dev/null; true`)).toBe('');
    expect(await app.appSheets.leftoverViews(serial)).toEqual([]);
    const copy = app.larder.copies.of(serial).find((each) => each.app.package === gone)!;
    const put = await startPuttingApps(app, serial, {
      copies: [{ copyId: copy.id, parts: ['data', 'external'] }],
      confirmed: ['battery'],
      armedWith: serial.slice(-4),
    });
    const ended = await app.engine.ended(put.id);
    expect(ended.state, `${ended.outcome}\n${told(put.id)}`).toBe('done');
    const folderLess = (text: string) =>
      text
        .split('\n')
        .filter((line) => !line.endsWith(gone))
        .join('\n');
    expect(folderLess(asRoot(state))).toBe(folderLess(before));
    expect(asRoot(`stat -c '%u %g %a' /data/data/${gone}`).trim()).toBe('10099 10099 700');
  });

  it('keeps contacts, counts them, and puts them back', async () => {
    const contactsThere = async () =>
      (await recordsOnPhone(app, serial)).find(({ kind }) => kind === 'contacts');
    expect(await contactsThere()).toMatchObject({ count: 2, fault: undefined });
    const kept = await startKeepingRecords(app, serial, { kinds: ['contacts'], confirmed: ['battery'] });
    const keeping = await app.engine.ended(kept.id);
    expect(keeping.state, `${keeping.outcome}\n${told(kept.id)}`).toBe('done');
    const state = `stat -c '%u %g %a %C' /data/${contacts}; sha256sum /data/${contacts}`;
    const before = asRoot(state);
    asRoot(`cat /data/data/${name}/files/empty > /data/${contacts}; sync`);
    expect(asRoot(state)).not.toBe(before);
    const [copy] = app.larder.records.list();
    const put = await startPuttingRecords(app, serial, {
      copies: [copy!.id],
      confirmed: ['battery'],
      armedWith: serial.slice(-4),
    });
    const ended = await app.engine.ended(put.id);
    expect(ended.state, `${ended.outcome}\n${told(put.id)}`).toBe('done');
    expect(asRoot(state)).toBe(before);
    await until('the phone', () => app.bench.linkIn(serial) !== undefined);
    expect(await contactsThere()).toMatchObject({ count: 2 });
  });
});
