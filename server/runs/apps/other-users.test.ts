// Apps of a work profile and of a second user: what is theirs is copied and put back, and nothing of the owner's is touched.
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { obstacles } from '@keen-larder/core/runsheet/run-sheets.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { editTree } from '@keen-larder/standin/flash/file-tree.ts';
import { otherUsers, putOtherUsers } from '@keen-larder/standin/scenario/other-users.ts';
import { isIn, openOn, serial, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { startUser, usersOf } from '../../bench/phone-users.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startChangingApps } from './changing-apps.ts';
import { startCopying } from './copying.ts';
import { startPuttingApps } from './putting-apps.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
const { work, second } = otherUsers;
const name = 'example.marshlog';
const everything: PartKind[] = ['program', 'data', 'device-data'];
const dataAlone: PartKind[] = ['data', 'device-data'];
const homeOf = (user: number) => (user === 0 ? `/data/${name}` : `/user/${user}/${name}`);

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  await putOtherUsers(await bench.phone.userData());
  app = await openOn(join(folder.path, 'home'), bench);
  await until('the system', isIn(app, 'system'));
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const viewOf = async (user: number) =>
  (await app.appSheets.views(serial, user)).find((view) => view.package === name)!;
const installedFor = async (user: number) =>
  (await app.appSheets.views(serial, user))
    .filter(({ installed }) => installed && !installed.isBuiltIn)
    .map((view) => view.package);
async function copy(user: number, parts = everything) {
  const apps = [{ package: name, parts }];
  const { id } = await startCopying(app, serial, { apps, user, confirmed: [] });
  return app.engine.ended(id);
}
async function put(user: number, parts: PartKind[]) {
  const copies = [{ copyId: (await viewOf(user)).copies[0]!.id, parts }];
  const confirmed = ['battery', 'hardware-keys'];
  const { id } = await startPuttingApps(app, serial, { copies, user, confirmed, armedWith: '0482' });
  return app.engine.ended(id);
}
/** Every file of the app that a user has, with its owner. */
async function filesOf(user: number): Promise<ReadonlyMap<string, string>> {
  const fs = await openFileSystem(await bench.phone.userData());
  const found = new Map<string, string>();
  const walk = async (path: string): Promise<void> => {
    const inode = await fs.findSelf(path);
    if (!inode) return;
    const parts: Uint8Array[] = [];
    if (inode.type === 'file') for await (const part of fs.content(inode)) parts.push(part.slice());
    const label = (await fs.attributes(inode)).map(({ value }) => Buffer.from(value).toString()).join();
    const bytes = Buffer.concat(parts).toString('base64');
    found.set(path, `${inode.type} ${inode.uid} ${inode.gid} ${inode.permissions} ${label} ${bytes}`);
    if (inode.type === 'directory')
      for (const each of await fs.list(inode)) await walk(`${path}/${each.name}`);
  };
  for (const root of [homeOf(user), `/user_de/${user}/${name}`]) await walk(root);
  return found;
}
const loseData = async (user: number) =>
  editTree(await bench.phone.userData(), {
    removes: (path) => path.startsWith(`${homeOf(user)}/databases/`),
  });

describe('other users of a phone', () => {
  it('are told with whether their files are open, and each has apps of their own', async () => {
    expect(await usersOf(app.bench, serial)).toMatchObject([
      { id: 0, kind: 'owner', isOpen: true },
      { id: work.id, name: work.name, kind: 'work', isOpen: true, isManaged: true, bans: work.bans },
      { id: second.id, name: second.name, kind: 'second', isOpen: false },
    ]);
    expect(await installedFor(second.id)).toHaveLength(2);
    const [own, theirs] = [(await viewOf(0)).installed!, (await viewOf(work.id)).installed!];
    expect(theirs).toMatchObject({ uid: 1_000_000 + own.uid, otherUsers: [0, second.id] });
    expect(theirs.paths).toEqual(own.paths);
    expect(theirs.stamp).not.toEqual(own.stamp);
    const grantsOf = ({ permissions }: typeof own) => permissions.filter(({ granted }) => granted).length;
    expect(grantsOf(theirs)).not.toBe(grantsOf(own));
    // What is encrypted still is not taken for none.
    expect((await viewOf(second.id)).installed).toMatchObject({ dataBytes: undefined, stamp: undefined });
  });

  it('have what is theirs copied, and put back where it was', async () => {
    const [own, theirs] = [await filesOf(0), await filesOf(work.id)];
    expect((await copy(work.id)).state).toBe('done');
    const { change, copies } = await viewOf(work.id);
    expect(change).toBe('as-kept');
    expect(copies[0]!.app).toMatchObject({ user: { name: work.name, kind: 'work' } });
    expect(copies[0]!.parts.map((part) => part.name)).toEqual(['base.apk', 'data.tar', 'device-data.tar']);
    // The owner has no copy for that.
    expect((await viewOf(0)).copies).toEqual([]);

    await loseData(work.id);
    expect(await filesOf(work.id)).not.toEqual(theirs);
    const ended = await put(work.id, dataAlone);
    expect(ended.state, ended.outcome).toBe('done');
    expect(await filesOf(work.id)).toEqual(theirs);
    expect(await filesOf(0)).toEqual(own);
  });

  it('are told of what whoever manages a profile forbids', async () => {
    const copies = [{ copyId: (await viewOf(work.id)).copies[0]!.id, parts: everything }];
    const sheet = await app.appSheets.putting(serial, { copies, user: work.id });
    expect(obstacles(sheet, [])).toMatchObject([
      { id: 'user-forbids', sentence: expect.stringMatching(/programs are installed \(no_install_apps\)/) },
    ]);
    const packages = [name];
    const changing = await app.appSheets.changing(serial, { packages, action: 'remove', user: work.id });
    expect(obstacles(changing, [])).toMatchObject([{ id: 'user-forbids' }, { id: 'will-wipe' }]);
    await expect(app.appSheets.copying(serial, { apps: [], user: 12 })).rejects.toThrow(/has no user 12/);
  });

  it('of a profile that was set up anew get what was kept of the one before', async () => {
    const userData = await bench.phone.userData();
    const text = async (path: string) => (await (await openFileSystem(userData)).text(path)) ?? '';
    const write = (path: string, bytes: Buffer) => ({
      ...{ path, type: 'file' as const, permissions: 0o600, uid: 1000, gid: 1000, attributes: [] },
      ...{ modifiedAt: 1_770_000_000, bytes: bytes.length, content: onePiece(bytes) },
    });
    const [list, file] = ['/system/users/userlist.xml', `/system/users/${work.id}.xml`];
    const [before, own] = [await text(list), await text(file)];
    const anew = (xml: string) => Buffer.from(xml.replaceAll(`id="${work.id}"`, 'id="13"'));
    await editTree(userData, {
      adds: [write(list, anew(before)), write('/system/users/13.xml', anew(own))],
    });
    const [kept] = (await viewOf(13)).copies;
    expect(kept!.app).toMatchObject({ user: { kind: 'work' }, uid: expect.any(Number) });
    expect((await viewOf(second.id)).copies).toEqual([]);
    await editTree(userData, { adds: [write(list, Buffer.from(before))] });
    expect((await viewOf(work.id)).copies.map(({ id }) => id)).toEqual([kept!.id]);
  });

  it('who have not been there since its start are started first', async () => {
    await expect(copy(second.id)).rejects.toThrow(/Boat club is locked/);
    const users = await startUser(app.bench, serial, second.id);
    expect(users.find(({ id }) => id === second.id)!.isOpen).toBe(true);
    const before = await filesOf(second.id);
    expect((await copy(second.id)).state).toBe('done');

    const change = { packages: [name], action: 'remove', user: second.id, confirmed: ['will-wipe'] } as const;
    const { id } = await startChangingApps(app, serial, {
      ...change,
      packages: [name],
      confirmed: ['will-wipe'],
    });
    expect((await app.engine.ended(id)).state).toBe('done');
    expect(await installedFor(second.id)).not.toContain(name);
    expect(await installedFor(0)).toContain(name);
    expect((await viewOf(second.id)).installed).toBeUndefined();

    const ended = await put(second.id, everything);
    expect(ended.state, ended.outcome).toBe('done');
    expect(await filesOf(second.id)).toEqual(before);
    expect((await viewOf(second.id)).change).toBe('as-kept');
  });
});
