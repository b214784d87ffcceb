// User data in both its ways: archives beside GNU tar, images of used blocks beside e2fsck and debugfs.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { createWriteStream, mkdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import { filler } from '@keen-larder/standin/firmware/filler.ts';
import type { SimulatedMode } from '@keen-larder/standin/phone/phone-state.ts';
import { putting, quick, testFolder, until, startPhones } from '../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { startComparing } from './comparing.ts';
import { startImaging } from './imaging.ts';
import { startRestoring } from '../restoring/restoring.ts';
import { startVerifying } from '../files/verifying.ts';

const folder = testFolder();
const [knot5, sedge] = ['TW5K-20316', 'MS10-70055'];
let bench: PracticeBench;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startPhones(join(folder.path, 'phones'), [knot5, sedge]);
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'larder'),
    retryPolicy: { ...quick.retryPolicy, stallMs: 60_000 },
    addresses: bench.phones.flatMap((phone) => addressesOf(phone.state())),
  });
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const phoneOf = (serial: string) => bench.phones.find(({ identity }) => identity.serial === serial)!;
async function into(serial: string, mode: SimulatedMode): Promise<void> {
  if (phoneOf(serial).state().mode !== mode) void phoneOf(serial).start(mode);
  await until(`${serial} in ${mode}`, () => app.bench.linkIn(serial, mode) !== undefined);
}
async function keep(
  serial: string,
  label: string,
  picked: string[],
  usedOnly: string[] = [],
): Promise<string> {
  const confirmed = ['identity-left-out', 'battery', 'live-file-system'];
  const { id } = await startImaging(app, serial, { label, picked, usedOnly, confirmed });
  const run = await app.engine.ended(id);
  expect(run.outcome).toMatch(/^\d/);
  expect(run).toMatchObject({ state: 'done', doneBytes: run.bytes });
  return run.setId!;
}
async function toFile(setId: string, partition: string): Promise<string> {
  const path = join(folder.path, `${setId}-${partition}`);
  await pipeline(readImage(app.larder.shelf, app.larder.image(setId, partition)), createWriteStream(path));
  return path;
}
const tar = (...args: string[]) => execFileSync('tar', args, { encoding: 'utf8', maxBuffer: 1 << 26 });

describe('file archives', () => {
  it('of encrypted user data, where the running system has it open: GNU tar lists and unpacks them', async () => {
    await into(knot5, 'system');
    const set = await keep(knot5, 'files', ['userdata-files', 'shared-storage']);
    const path = await toFile(set, 'userdata-files');
    const listed = tar('--numeric-owner', '--xattrs', '--selinux', '-tvvf', path);
    expect(listed).toMatch(
      /^-rw-rw----\S* 10081\/10081\s+\d{7} .*\.\/data\/example\.tidebook\/databases\/tidebook\.db$/m,
    );
    expect(listed).toMatch(/^drwx------\S* 10083\/10083 .*\.\/data\/example\.dunebank\/$/m);
    // App 81 of user 0, by android_seapp.c of AOSP.
    expect(listed).toMatch(/u:object_r:app_data_file:s0:c81,c256,c512,c768/);
    expect(listed).not.toMatch(/\.\/media/);
    const out = join(folder.path, 'unpacked');
    mkdirSync(out);
    tar('--numeric-owner', '--same-owner', '-xpf', path, '-C', out);
    const fs = await openFileSystem(await phoneOf(knot5).userData());
    for (const name of ['/data/example.tidebook/databases/tidebook.db', '/app/example.dunebank-1/base.apk']) {
      const inode = (await fs.find(name))!;
      const stat = statSync(join(out, name));
      expect([stat.uid, stat.gid, stat.mode & 0o7777, Math.floor(stat.mtimeMs / 1000)]).toEqual([
        inode.uid,
        inode.gid,
        inode.permissions,
        inode.modifiedAt,
      ]);
      expect(readFileSync(join(out, name)).equals(await fs.read(inode))).toBe(true);
    }
    const photos = tar('-tf', await toFile(set, 'shared-storage'));
    expect(photos).toMatch(/\.\/DCIM\/Camera\/hide-001\.jpg\n/);
    expect(await app.engine.ended(startVerifying(app, [set]).id)).toMatchObject({ state: 'done' });
  });

  it('of plain user data in recovery, which is mounted for that; of encrypted data there are none', async () => {
    await into(sedge, 'recovery');
    const set = await keep(sedge, 'files', ['userdata-files']);
    expect(app.larder.detail(set).images[0]).toMatchObject({ kind: 'archive', fileSystem: 'tar' });
    expect(tar('-tf', await toFile(set, 'userdata-files'))).toMatch(/packages\.list/);
    await into(knot5, 'recovery');
    expect((await app.bench.partitions(knot5)).filter(({ archive }) => archive)).toEqual([]);
  });

  it('say which files changed while they were archived', async () => {
    await into(knot5, 'system');
    const phone = phoneOf(knot5);
    const { overwriteFile } = await import('@keen-larder/standin/flash/file-writes.ts');
    phone.stallAfter(9 << 20);
    const confirmed = ['identity-left-out', 'battery', 'live-file-system'];
    const { id } = await startImaging(app, knot5, { label: 'in use', picked: ['userdata-files'], confirmed });
    await until('the first bytes', () => app.engine.view(id).doneBytes > 0);
    await overwriteFile(await phone.userData(), '/system/starts.txt', 0, Buffer.from('00000000077'));
    await overwriteFile(
      await phone.userData(),
      '/app/example.dunebank-1/base.apk',
      0,
      Buffer.from('changed'),
    );
    phone.endStall();
    expect(await app.engine.ended(id)).toMatchObject({ state: 'done' });
    const log = app.engine.logOf(id).map(({ text }) => text);
    expect(log.join('\n')).toMatch(/base\.apk changed while userdata-files was archived/);
  });
});

describe('blocks in use alone', () => {
  it('make an image that e2fsck and every file agree with, in a fraction of the bytes', async () => {
    await into(sedge, 'recovery');
    const device = phoneOf(sedge).flash.partition('userdata')!;
    const fs = await Ext4.open(device);
    const { blocks, blockBytes } = fs.superblock;
    // What deleted files leave behind lies in free blocks, and is not kept.
    const free = (blocks - 100) * blockBytes;
    await device.write(free, filler('program', 1, 40 * blockBytes));
    const set = await keep(sedge, 'used', ['userdata', 'persist'], ['userdata', 'persist']);
    const image = app.larder.detail(set).images.find(({ partition }) => partition === 'userdata')!;
    const read = image.ranges!.reduce((sum, { bytes }) => sum + bytes, 0);
    expect(read).toBeLessThan(image.bytes / 4);
    expect(app.engine.list()[0]).toMatchObject({ kind: 'imaging', state: 'done' });
    const path = await toFile(set, 'userdata');
    execFileSync('e2fsck', ['-fn', path], { stdio: 'pipe' });
    const kept = await Ext4.open(memorySource(readFileSync(path)));
    const digest = async (of: Ext4, name: string) =>
      createHash('sha256')
        .update(await of.read((await of.find(name))!))
        .digest('hex');
    for (const name of [
      '/media/0/DCIM/Camera/hide-003.jpg',
      '/system/packages.list',
      '/app/example.almanac-1/base.apk',
    ]) {
      expect(await digest(kept, name)).toBe(await digest(fs, name));
    }
    expect(
      readFileSync(path)
        .subarray(free, free + 4096)
        .every((byte) => byte === 0),
    ).toBe(true);
    expect(await app.engine.ended(startVerifying(app, [set]).id)).toMatchObject({ state: 'done' });

    // The free blocks may differ; what is in use is as it was kept.
    const compared = await app.engine.ended((await startComparing(app, sedge, { picked: ['userdata'] })).id);
    expect(compared.outcome).toMatch(/All are as they were last kept/);

    const start = putting(set, ['userdata'], { restartAfter: false, confirmed: ['will-wipe'] }, sedge);
    const run = await app.engine.ended((await startRestoring(app, sedge, start)).id);
    expect(run.outcome).toMatch(/every digest computed by the phone agrees/);
    const put = Buffer.from(await device.read(free, 4096));
    expect(put.every((byte) => byte === 0)).toBe(true);
  });
});
