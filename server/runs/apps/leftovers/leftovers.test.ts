// What removed apps left on a simulated phone: found, kept, removed, and put back as it was.
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { LeftoverView } from '@keen-larder/contract/copies.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { putOtherUsers } from '@keen-larder/standin/scenario/other-users.ts';
import { putTwoDozenApps } from '@keen-larder/standin/scenario/two-dozen.ts';
import { isIn, openOn, serial, startKnot3, testFolder, until } from '../../../../testing/bench.ts';
import type { KeenLarder } from '../../../keen-larder.ts';
import { startPuttingApps } from '../putting-apps.ts';
import { findLeftovers } from './finding.ts';
import { startRemovingLeftovers } from './removing.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
const tides = 'example.oldtides';
const game = 'example.ferrygame';
const timer = 'example.sandtimer';
/** Removed with its data kept. */
const buoy = 'example.bellbuoy';

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  // It is not to start from user data that are half changed.
  bench.phone.setPower(false);
  await putTwoDozenApps(await bench.phone.userData());
  bench.phone.setPower(true);
  app = await openOn(join(folder.path, 'larder'), bench);
  await until('the system', isIn(app, 'system'));
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const views = () => app.appSheets.leftoverViews(serial);
const named = (all: readonly LeftoverView[], name: string) => all.find((each) => each.package === name);
/** Paths below some folders of user data, with owner, mode and size. */
async function tree(...roots: readonly string[]): Promise<string[]> {
  const fs = await openFileSystem(await bench.phone.userData());
  const lines: string[] = [];
  const walk = async (path: string): Promise<void> => {
    const inode = await fs.find(path);
    if (!inode) return;
    lines.push(
      `${path} ${inode.type} ${inode.uid} ${inode.permissions.toString(8)} ${inode.type === 'file' ? inode.bytes : ''}`,
    );
    if (inode.type === 'directory')
      for (const { name } of await fs.list(inode)) await walk(`${path}/${name}`);
  };
  for (const root of roots) await walk(root);
  return lines;
}
const text = async (path: string) => (await openFileSystem(await bench.phone.userData())).text(path);
const listeners = () => text('/system/users/0/settings_secure.xml');
const packageList = () => text('/system/packages.xml');
const own = [`/data/${tides}`, `/user_de/0/${tides}`];
async function* noFiles(): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(new Uint8Array(1024));
}
async function remove(packages: string[], keepsFirst: boolean, confirmed: string[] = []) {
  return app.engine.ended(
    (await startRemovingLeftovers(app, serial, { packages, keepsFirst, confirmed })).id,
  );
}

describe('leftovers of removed apps', () => {
  let before: string[];

  it('are found where apps keep things, with their size and how one knows', async () => {
    const all = await views();
    expect(all.map(({ package: name, isCertain }) => [name, isCertain])).toEqual([
      [game, true],
      [tides, true],
      [buoy, true],
      [timer, false],
    ]);
    expect(named(all, game)!.folders.map(({ kind }) => kind)).toEqual(['external', 'program', 'profile']);
    expect(named(all, game)!.notes).toEqual([
      {
        ...{ kind: 'setting', setting: 'enabled_notification_listeners', user: 0 },
        component: `${game}/${game}.Harbour`,
      },
    ]);
    expect(named(all, buoy)).toMatchObject({
      notes: [{ kind: 'entry' }],
      why: expect.stringMatching(/was removed with its data kept/) as string,
    });
    expect(named(all, tides)).toMatchObject({
      keptAt: undefined,
      why: expect.stringMatching(/which no app has now/) as string,
    });
    expect(named(all, tides)!.bytes).toBeGreaterThan(500 * 1024);
    before = await tree(...own);
    expect(before.length).toBeGreaterThan(3);
  });

  it('are not removed unkept, nor where nobody is certain, without a tick', async () => {
    const sheet = await app.appSheets.leftovers(serial, { packages: [tides, timer], keepsFirst: false });
    expect(sheet.checks.filter(({ severity }) => severity === 'confirm').map(({ id }) => id)).toEqual([
      'maybe-not-left',
      'will-wipe',
    ]);
    await expect(remove([tides, timer], false)).rejects.toThrow();
    await expect(remove(['example.marshlog'], true)).rejects.toThrow();
    expect(await tree(...own)).toEqual(before);
  });

  it('are kept first, removed, and found no more', async () => {
    const ended = await remove([tides, game], true);
    expect(ended.state).toBe('done');
    expect(ended.outcome).toMatch(/^1\.\d+ MiB of user data are free again\.$/);
    expect(await tree(...own, `/app/${game}-2`, `/media/0/Android/data/${game}`)).toEqual([]);
    expect((await views()).map(({ package: name }) => name)).toEqual([buoy, timer]);
    expect(await listeners()).not.toContain(game);
    const copies = app.larder.copies.of(serial).filter(({ app: { isLeftover } }) => isLeftover);
    expect(copies.map((copy) => [copy.app.package, copy.parts.map(({ name }) => name)]).sort()).toEqual([
      [game, ['external.tar', 'base.apk']],
      [tides, ['data.tar', 'device-data.tar']],
    ]);
  });

  it('of an app that was removed with its data kept go with its entry, which the sheet says', async () => {
    // What another user has of it would go as well, unkept.
    await bench.phone.changeUserData(putOtherUsers);
    const files = app.bench.link(serial).files!;
    await app.bench.link(serial).folders!.stage(`/data/user/10/${buoy}`, noFiles(), undefined, 1_010_160);
    expect((await remove([buoy], true)).steps.at(-1)?.result).toMatch(/^Another user has \/data\/user\/10\//);
    expect(await packageList()).toContain(buoy);
    await files.remove([`/data/user/10/${buoy}`]);
    const sheet = await app.appSheets.leftovers(serial, { packages: [buoy], keepsFirst: true });
    expect(sheet.checks.find(({ id }) => id === 'notes-go')).toMatchObject({ severity: 'note' });
    const ended = await remove([buoy], true);
    expect(ended.state).toBe('done');
    expect(await tree(`/data/${buoy}`)).toEqual([]);
    expect(await packageList()).not.toContain(buoy);
    expect((await views()).map(({ package: name }) => name)).toEqual([timer]);
    const copy = app.larder.copies.of(serial).find(({ app: each }) => each.package === buoy)!;
    expect(copy.parts.map(({ name }) => name)).toEqual(['data.tar']);
  });

  it('are not those of an app that the system put away, to come back', async () => {
    const link = app.bench.link(serial);
    const name = 'example.archived';
    const archived = Object.create(link, {
      apps: {
        value: {
          list: (signal?: AbortSignal) => link.apps!.list(signal),
          entries: () => Promise.resolve([{ package: name, appId: 10_400, isArchived: true }]),
        },
      },
      files: {
        value: Object.create(link.files!, {
          list: {
            value: async (path: string) => [
              ...(await link.files!.list(path)),
              ...(path === '/data/user/0' ? [{ name, isFolder: true }] : []),
            ],
          },
        }) as typeof link.files,
      },
    }) as typeof link;
    expect((await findLeftovers(archived)).map((each) => each.package)).toEqual([timer]);
  });

  it('come back from the larder as they were', async () => {
    const copy = app.larder.copies.of(serial).find(({ app: each }) => each.package === tides)!;
    const start = {
      copies: [{ copyId: copy.id, parts: ['data' as const, 'device-data' as const] }],
      confirmed: [],
    };
    const ended = await app.engine.ended((await startPuttingApps(app, serial, start)).id);
    expect(ended.outcome).toMatch(/^One app is in place and proved/);
    expect(await tree(...own)).toEqual(before);
    expect(named(await views(), tides)?.keptAt).toBeDefined();
    // Kept before: whether it is still the same nobody knows.
    await expect(remove([tides], false)).rejects.toThrow();
    expect((await remove([tides], false, ['will-wipe'])).state).toBe('done');
    expect(await tree(...own)).toEqual([]);
  });

  it('do not come back where another app has their id', async () => {
    const copy = app.larder.copies.of(serial).find(({ app: each }) => each.package === tides)!;
    const facts = await app.appSheets.puttingFacts(serial, {
      copies: [{ copyId: copy.id, parts: ['data'] }],
    });
    const taken = facts.installed.map((each, i) => (i === 0 ? { ...each, uid: copy.app.uid } : each));
    const { puttingAppsSheet } = await import('@keen-larder/core/runsheet/run-sheets.ts');
    const { checks } = puttingAppsSheet({ ...facts, installed: taken });
    expect(checks.filter(({ severity }) => severity === 'stop').map(({ id }) => id)).toEqual([
      'id-of-another',
    ]);
  });
});
