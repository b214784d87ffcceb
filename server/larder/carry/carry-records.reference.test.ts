// Records in an archive that a recovery installs by itself, run by the tools that recoveries have: mksh with toybox, and busybox, on ext4
// by the kernel. Databases are made and read by Debian's sqlite3; what comes out is told by the kernel.
import { execFileSync } from 'node:child_process';
import { chownSync, createWriteStream, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { RecordFile, RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { testFolder } from '../../../testing/folder.ts';
import { LarderBench, type OpenLarder } from '../../../testing/larder.ts';
import {
  ArchivePhones,
  layFile,
  listed,
  packagesList,
  packagesXml,
  recoveries,
} from '../../../testing/userland/archive-phones.ts';
import { whyNotHere, type UserlandPhone } from '../../../testing/userland/userland-phone.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { carried, carryAlongZip } from './carry-along.ts';

const missing = whyNotHere();
const folder = testFolder();
afterAll(() => folder.remove());
const bench = new LarderBench();
let open: OpenLarder;
afterAll(() => bench.close());

const contacts = 'data/com.android.providers.contacts/databases/contacts2.db';
const tone = 'media/0/Ringtones/Tide  bell (low).ogg';
const inner = 'media/0/Ringtones/gulls/Gull "one".ogg';
const picture = 'system/users/0/wallpaper';
/** The provider's id, on the phone that records come from and on the one that they go to. */
const [uidThen, uidNow] = [10_007, 10_012];

/** A database of names, by sqlite3 itself. */
function database(names: readonly string[]): Buffer {
  const path = join(folder.path, `${Math.random()}.db`);
  const rows = names.map((name) => `INSERT INTO raw_contacts (display_name) VALUES ('${name}');`).join('');
  execFileSync('sqlite3', [
    path,
    `CREATE TABLE raw_contacts (_id INTEGER PRIMARY KEY, display_name); ${rows}`,
  ]);
  return readFileSync(path);
}
const namesIn = (bytes: Buffer): string[] => {
  const path = join(folder.path, `${Math.random()}.db`);
  writeFileSync(path, bytes);
  const told = execFileSync('sqlite3', [path, 'SELECT display_name FROM raw_contacts ORDER BY 1'], {
    encoding: 'utf8',
  });
  return told.split('\n').filter(Boolean);
};

const then = { contacts: database(['Ada Fenn', 'Ole Strand']), tone: Buffer.alloc(40_000, 'tone') };
const now = database(['Someone since']);

const file = (path: string, bytes: number, over: Partial<RecordFile>): RecordFile => ({
  ...{ path: `/${path}`, bytes, uid: 1000, gid: 1000, mode: 0o600 },
  ...over,
});

async function keepRecords(
  kind: RecordKindId,
  files: readonly (readonly [RecordFile, Buffer])[],
  sdk = 28,
): Promise<string> {
  return open.larder.whileWriting(async () => {
    const writer = new SetWriter(open.shelf);
    const parts = [];
    for (const [{ path }, bytes] of files) {
      const image = writer.image(bytes.length);
      await image.take(
        (async function* () {
          yield await Promise.resolve(bytes);
        })(),
      );
      parts.push({ name: path.slice(1), kind: 'raw' as const, stored: await image.finish() });
    }
    await writer.seal();
    return open.larder.records.add({
      phone: { serial: 'TW3K-10482', maker: 'Tidewell', model: 'Knot 3', nickname: 'Hut' },
      ...{ createdAt: bench.clock.wall, addedBytes: 0, parts },
      facts: { kind, files: files.map(([each]) => each), sdk },
    });
  });
}

async function archiveOf(records: readonly string[], name: string): Promise<string> {
  const path = join(folder.path, name);
  const carrying = carried(open.larder, { apps: [], records });
  await pipeline(carryAlongZip(open.larder, carrying), createWriteStream(path));
  return path;
}

/** User data of another phone of the model, with records of its own. */
function layPhone(root: string): void {
  layFile(root, 'system/packages.list', packagesList([listed('example.tidebook', 10_061, 41)]), 1000, 0o640);
  layFile(root, 'system/packages.xml', packagesXml(28), 1000, 0o660);
  layFile(root, contacts, now, uidNow, 0o660);
  layFile(root, `${contacts}-journal`, 'of the one before', uidNow, 0o600);
  layFile(root, contacts.replace('contacts2', 'calllog'), 'calls of this phone', uidNow, 0o660);
  layFile(root, 'media/0/Ringtones/Of this phone.ogg', 'x', 1023, 0o664);
  layFile(root, inner, 'another of the same name', 1023, 0o664);
  layFile(root, 'system/users/0/settings_secure.xml', '<settings />', 1000);
  mkdirSync(join(root, 'local/tmp'), { recursive: true });
  chownSync(join(root, contacts, '..'), uidNow, uidNow);
  chownSync(join(root, 'media/0/Ringtones'), 1023, 1023);
  chownSync(join(root, 'system/users/0'), 1000, 1000);
  for (const [path, type] of [
    ['system/users/0', 'system_data_file'],
    ['media/0/Ringtones', 'media_rw_data_file'],
    [contacts, 'privapp_data_file'],
  ] as const)
    execFileSync('setfattr', [
      ...['-n', 'security.selinux', '-v', `u:object_r:${type}:s0`],
      join(root, path),
    ]);
}

const ids: Partial<Record<RecordKindId, string>> = {};
let archive: string;
beforeAll(async () => {
  open = await bench.open();
  ids.contacts = await keepRecords('contacts', [
    [file(contacts, then.contacts.length, { uid: uidThen, gid: uidThen, mode: 0o660 }), then.contacts],
  ]);
  ids.sounds = await keepRecords('sounds', [
    [file(tone, then.tone.length, { uid: 1023, gid: 1023, mode: 0o664 }), then.tone],
    [file(inner, 4, { uid: 10_120, gid: 1023, mode: 0o664 }), Buffer.from('gull')],
  ]);
  ids.wallpaper = await keepRecords('wallpaper', [
    [file(picture, 3, { label: 'u:object_r:wallpaper_file:s0' }), Buffer.from('png')],
  ]);
  archive = await archiveOf([ids.contacts, ids.sounds, ids.wallpaper], 'records.zip');
});

describe('an archive of records', () => {
  it('is not made of what may not travel', async () => {
    const why = (...records: string[]) => {
      try {
        carried(open.larder, { apps: [], records });
        return undefined;
      } catch (error) {
        return (error as Error).message;
      }
    };
    const of = (kind: RecordKindId, path: string) =>
      keepRecords(kind, [[file(path, 1, {}), Buffer.from('x')]]);
    expect(why(await of('accounts', 'system_ce/0/accounts_ce.db'))).toBe(
      'Accounts: tokens are issued to one phone and build, and are refused elsewhere.',
    );
    expect(why(await of('bluetooth', 'misc/bluedroid/bt_config.conf'))).toMatch(/adapter/);
    expect(why(await of('sounds', 'media/0/Alarms/a\nb.ogg'))).toMatch(/no list of an archive has room/);
    expect(why(ids.contacts!, ids.contacts!)).toBe('Contacts: pick one copy of each kind.');
    expect(why()).toBe('Pick copies of apps in the list.');
  });
});

describe.skipIf(missing !== undefined).each(recoveries)('installed by %s, it', (name, personality, shell) => {
  const phones = new ArchivePhones(join(folder.path, name.replaceAll(' ', '-')), personality, shell);
  afterAll(() => phones.close());
  const here = '/data/local/tmp/keen-larder';
  const read = (on: UserlandPhone, path: string) => on.shell(`cat '/data/${path}'`).stdout;
  const facts = (on: UserlandPhone, path: string) =>
    on.shell(`stat -c '%u %g %a' '/data/${path}'`).stdout.toString().trim();
  const listing = (on: UserlandPhone) =>
    on
      .shell(
        `cd /data && find data media system -type f | while read -r file; do sha256sum "$file"; done | sort`,
      )
      .stdout.toString();
  const isNew = (on: UserlandPhone) => {
    expect(namesIn(read(on, contacts))).toEqual(['Ada Fenn', 'Ole Strand']);
    expect(read(on, tone).equals(then.tone)).toBe(true);
    expect(read(on, inner).toString()).toBe('gull');
    expect(read(on, picture).toString()).toBe('png');
  };
  const lay = (on: UserlandPhone, before: Buffer) =>
    void on.shell('cd /data && rm -rf data media system && tar -x -f -', before);

  it('puts records in the place of those that are there, with the owners of this phone', async () => {
    const on = await phones.start(archive, layPhone);
    const { said, stderr, exitCode } = phones.install(on);
    expect(stderr).toBe('');
    expect(said).toEqual([
      'Contacts: they are in place.',
      'Sounds: they are in place.',
      'Wallpaper: they are in place.',
      '3 put back, 0 waiting for their programs, 0 not put back.',
    ]);
    expect(exitCode).toBe(0);
    isNew(on);
    expect(facts(on, contacts)).toBe(`${uidNow} ${uidNow} 660`);
    expect(facts(on, tone)).toBe('1023 1023 664');
    expect(facts(on, inner)).toBe('1023 1023 664');
    expect(facts(on, picture)).toBe('1000 1000 600');
    // What lies beside them is of others, and stays; what was there of them does not.
    const names = on.shell('cd /data && find data media system -type f').stdout.toString().trim().split('\n');
    expect(names.sort()).toEqual(
      [
        contacts,
        contacts.replace('contacts2', 'calllog'),
        tone,
        inner,
        picture,
        'system/packages.list',
        'system/packages.xml',
        'system/users/0/settings_secure.xml',
      ].sort(),
    );
    expect(on.shell(`find /data -name '.keen-larder*'; ls ${here}`).stdout.toString()).not.toMatch(
      /\.keen-larder|lines\./,
    );
  });

  it('leaves what is bound to one Android as it was on another, and where the system runs', async () => {
    const on = await phones.start(archive, (root) => {
      layPhone(root);
      writeFileSync(join(root, 'system/packages.xml'), packagesXml(29));
    });
    const { said, exitCode } = phones.install(on);
    expect(said.slice(0, 2)).toEqual([
      'Contacts: they are of Android API level 28, and this phone has 29. What was there is as it was.',
      'Sounds: they are in place.',
    ]);
    expect(exitCode).toBe(1);
    expect(namesIn(read(on, contacts))).toEqual(['Someone since']);
    const running = await phones.start(archive, layPhone, { properties: { 'sys.boot_completed': '1' } });
    const before = listing(running);
    expect(phones.install(running).said[0]).toBe(
      'Contacts: records go back in recovery alone. What was there is as it was.',
    );
    expect(listing(running)).toBe(before);
  });

  it('leaves records as they were where they have no place, or room runs out', async () => {
    const on = await phones.start(archive, layPhone);
    const whole = on.shell('tar -c -C /data -f - data media system').stdout;
    on.shell('rm -rf /data/data/com.android.providers.contacts');
    expect(phones.install(on).said[0]).toBe(
      'Contacts: there is no /data/data/com.android.providers.contacts/databases. What was there is as it was.',
    );
    lay(on, whole);
    const before = listing(on);
    const free = Number(on.shell('df -k /data | tail -n 1').stdout.toString().trim().split(/\s+/).at(-3));
    let failed = 0;
    for (const left of [70, 40, 20, 12, 4]) {
      on.shell(`dd if=/dev/zero of=/data/filler bs=1024 count=${free - left}; sync`);
      const { said } = phones.install(on, `sed -i 's/^free=.*/free=9999999/' /tmp/update-binary;`);
      on.shell('rm -f /data/filler');
      if (!said.includes('Contacts: they are in place.')) {
        failed++;
        expect(namesIn(read(on, contacts)), said.join('\n')).toEqual(['Someone since']);
      } else expect(namesIn(read(on, contacts))).toEqual(['Ada Fenn', 'Ole Strand']);
      if (said[0]?.startsWith('Nothing was changed')) expect(listing(on)).toBe(before);
      lay(on, whole);
    }
    expect(failed).toBeGreaterThan(1);
    expect(phones.install(on).exitCode).toBe(0);
    isNew(on);
  });

  it('is whole after it was killed anywhere and installed again, and after another archive took its turn', async () => {
    const on = await phones.start(archive, layPhone);
    const whole = on.shell('tar -c -C /data -f - data media system').stdout;
    const before = listing(on);
    const second = await archiveOf([ids.wallpaper!], 'second.zip');
    let turn = 0;
    const points = phones.killEverywhere(
      on,
      () => lay(on, whole),
      (point) => {
        // What another archive has nothing of stays as the first one left it, to be ended or undone by that.
        if (turn++ % 3 === 1) {
          phones.give(on, second);
          expect(phones.install(on).exitCode, `killed at ${point}`).toBe(0);
          phones.give(on, archive);
        }
        expect(phones.install(on).exitCode, `killed at ${point}`).toBe(0);
        isNew(on);
        expect(on.shell(`find /data -name '.keen-larder*'`).stdout.toString()).toBe('');
        lay(on, whole);
        expect(listing(on)).toBe(before);
      },
    );
    expect(points).toBeGreaterThan(40);
  });
});

it('says of its records what they are, with digests that sha256sum finds right', () => {
  const out = join(folder.path, 'unzipped');
  execFileSync('unzip', ['-q', archive, '-d', out]);
  execFileSync('sha256sum', ['-c', 'SHA256SUMS'], { cwd: out });
  const plan = readFileSync(join(out, 'carry/plan'), 'utf8');
  const sum = createHash('sha256').update(then.contacts).digest('hex');
  expect(plan).toContain(`record 1 28 Contacts\nplace 1 ${contacts}\nplace 1 ${contacts}-wal\n`);
  expect(plan).toContain(`item 1 carry/records/1/1 660 - - ${sum} ${contacts}\n`);
  expect(plan).toContain(`item 2 carry/records/2/1 664 1023:1023 - `);
  expect(statSync(join(out, 'carry/records/3/1')).size).toBe(3);
});
