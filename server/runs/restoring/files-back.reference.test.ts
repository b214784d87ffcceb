// User data put back as files: over what is there, or into a file system made anew; judged by e2fsprogs.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { Ext4, type Inode } from '@keen-larder/core/formats/ext4/ext4.ts';
import { overwriteFile } from '@keen-larder/standin/flash/file-writes.ts';
import { editTree } from '@keen-larder/standin/flash/file-tree.ts';
import { filler } from '@keen-larder/standin/firmware/filler.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import {
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startImaging } from '../imaging/imaging.ts';
import { startRestoring } from './restoring.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let phone: Phone;
let app: KeenLarder;
let setId: string;
let before: Map<string, string>;

/**
 * Every file with all that is to survive; times of directories apart, which change with what is in them, and extended
 * attributes but labels, which no phone's tar packs.
 */
async function census(under = '/'): Promise<Map<string, string>> {
  const fs = await Ext4.open(phone.flash.partition('userdata')!);
  const found = new Map<string, string>();
  const walk = async (path: string, inode: Inode): Promise<void> => {
    const attributes = (await fs.attributes(inode))
      .filter(({ name }) => name === 'security.selinux')
      .map(({ name, value }) => `${name}=${Buffer.from(value).toString('hex')}`);
    const { type, permissions, uid, gid, links, modifiedAt } = inode;
    const facts: unknown[] = [type, permissions, uid, gid, attributes.sort()];
    if (type === 'file') {
      const hash = createHash('sha256');
      for await (const part of fs.content(inode)) hash.update(part);
      facts.push(links, modifiedAt, hash.digest('hex'));
    }
    if (type === 'link') facts.push(await fs.linkTarget(inode));
    found.set(path, JSON.stringify(facts));
    if (type !== 'directory') return;
    for (const { name, inode: number } of await fs.list(inode)) {
      if (path === '/' && name === 'lost+found') continue;
      await walk(`${path === '/' ? '' : path}/${name}`, await fs.inode(number));
    }
  };
  await walk(under, (await fs.find(under))!);
  return found;
}
async function requireSound(): Promise<void> {
  const device = phone.flash.partition('userdata')!;
  const path = join(folder.path, 'userdata.img');
  writeFileSync(path, await device.read(0, device.bytes));
  execFileSync('e2fsck', ['-fn', path], { stdio: 'ignore' });
}
const restore = async (picked: readonly string[], over: object = {}) => {
  const confirmed = ['will-wipe', 'battery'];
  const { id } = await startRestoring(
    app,
    serial,
    putting(setId, picked, { restartAfter: false, confirmed, ...over }),
  );
  const run = await app.engine.ended(id);
  expect(run.state, run.outcome).toBe('done');
  return run;
};
const attribute = { name: 'user.station', value: Buffer.from('North hide') };

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  ({ phone } = bench);
  app = await openOn(join(folder.path, 'larder'), bench);
  await until('the system', () => phone.state().phase === 'running');
  phone.setPower(false);
  // What an archive must carry besides plain files.
  await editTree(phone.flash.partition('userdata')!, {
    adds: [
      {
        path: '/data/example.tidebook/files',
        type: 'directory',
        permissions: 0o2771,
        uid: 10061,
        gid: 20061,
        modifiedAt: 1_700_000_000,
        attributes: [attribute],
      },
      {
        path: '/data/example.tidebook/files/here',
        type: 'link',
        permissions: 0o777,
        uid: 10061,
        gid: 10061,
        modifiedAt: 1_700_000_000,
        attributes: [],
        target: '../databases/tidebook.db',
      },
      { path: '/data/example.tidebook/files/same', linkTo: '/data/example.tidebook/databases/tidebook.db' },
    ],
  });
  await requireSound();
  void phone.start('recovery');
  await toRecovery(app, phone);
  before = await census();
  const confirmed = ['identity-left-out', 'battery'];
  const kept = await startImaging(app, serial, {
    picked: ['userdata-files', 'shared-storage'],
    label: 'files',
    confirmed,
  });
  const run = await app.engine.ended(kept.id);
  expect(run.state, run.outcome).toBe('done');
  setId = run.setId!;
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

it('replaces apps and settings, and leaves shared storage that is on the phone', async () => {
  const userData = phone.flash.partition('userdata')!;
  await overwriteFile(
    userData,
    '/data/example.marshlog/databases/marshlog.db',
    4096,
    filler('program', 5, 4096),
  );
  const photo = '/media/0/DCIM/Camera/hide-001.jpg';
  await overwriteFile(userData, photo, 0, filler('program', 6, 4096));
  await editTree(userData, {
    removes: (path) => path === '/data/example.ringcode' || path === '/media/0/Download',
    adds: [
      {
        path: '/data/example.intruder',
        type: 'directory',
        permissions: 0o700,
        uid: 10099,
        gid: 10099,
        modifiedAt: 1,
        attributes: [],
      },
    ],
  });
  const spoiled = await census('/media');
  const run = await restore(['userdata-files']);
  expect(run.steps.map(({ text }) => text)).toEqual([
    'Verify the kept image of userdata-files',
    'Unpack userdata-files and compare the phone’s digest of every file',
    'Clear code caches',
  ]);
  expect(run.steps[1]!.result).toMatch(/the same SHA-256 of all \d+ files/);
  await requireSound();
  expect(await census('/media')).toEqual(spoiled);
  const outside = (all: Map<string, string>) =>
    [...all].filter(([path]) => !path.startsWith('/media')).sort();
  expect(outside(await census())).toEqual(outside(before));
});

it('formats what cannot be mounted, and then everything is there again', async () => {
  const userData = phone.flash.partition('userdata')!;
  await userData.write(0, new Uint8Array(1 << 20));
  await app.bench.restart(serial, 'recovery');
  await until('the restart', () => app.bench.view(serial).presence !== 'here');
  await toRecovery(app, phone);
  const picked = ['userdata-files', 'shared-storage'];
  const blocked = await app.restoringSheets.restoring(serial, putting(setId, picked));
  expect(blocked.checks.find(({ id }) => id === 'files-not-reachable')).toMatchObject({
    mend: { do: 'format' },
  });
  await restore(picked, { format: true });
  await requireSound();
  const now = await census();
  // The folder of shared storage itself is made by whoever needs it first.
  for (const all of [now, before]) all.delete('/media');
  expect([...now].sort()).toEqual([...before].sort());
  void phone.start('system');
  await until('the system', () => phone.state().mode === 'system');
  expect(phone.state()).toMatchObject({ phase: 'running', hasImei: true });
});

it('goes on after the cable came out in the middle', async () => {
  await toRecovery(app, phone);
  const start = putting(setId, ['userdata-files'], {
    restartAfter: false,
    confirmed: ['will-wipe', 'battery'],
  });
  const { id } = await startRestoring(app, serial, start);
  phone.pullCableAfter(12 << 20);
  await until('the run to wait', () => app.engine.view(id).state === 'waiting');
  phone.setCable(true);
  const run = await app.engine.ended(id);
  expect(run.state, run.outcome).toBe('done');
  await requireSound();
  const now = await census();
  now.delete('/media');
  expect([...now].sort()).toEqual([...before].sort());
});
