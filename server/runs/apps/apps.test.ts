import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { programBytes } from '@keen-larder/standin/firmware/programs.ts';
import type { AppView } from '@keen-larder/contract/copies.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { isIn, openOn, serial, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import type { AppAction } from '@keen-larder/core/apps/built-in.ts';
import { startChangingApps } from './changing-apps.ts';
import { startCopying } from './copying.ts';
import { startPuttingApps } from './putting-apps.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
const everything: PartKind[] = ['program', 'data', 'device-data'];
const notebooks = ['example.marshlog', 'example.ringcode', 'example.tidebook'];

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await until('the system', isIn(app, 'system'));
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const views = async (): Promise<ReadonlyMap<string, AppView>> =>
  new Map((await app.appSheets.views(serial)).map((view) => [view.package, view]));

async function copy(names: readonly string[], parts = everything) {
  const apps = names.map((name) => ({ package: name, parts }));
  const { id } = await startCopying(app, serial, { apps, confirmed: [] });
  return app.engine.ended(id);
}

async function put(names: readonly string[], parts = everything, armedWith?: string) {
  const kept = await views();
  const copies = names.map((name) => ({ copyId: kept.get(name)!.copies[0]!.id, parts }));
  const confirmed = ['battery', 'hardware-keys', 'older-program'];
  const { id } = await startPuttingApps(app, serial, { copies, confirmed, ...(armedWith && { armedWith }) });
  return app.engine.ended(id);
}

/** Files of an app on the phone's flash, with what matters of each. */
async function onFlash(name: string) {
  const fs = await Ext4.open(bench.phone.flash.partition('userdata')!);
  const found = new Map<string, string>();
  const walk = async (path: string): Promise<void> => {
    const inode = (await fs.findSelf(path))!;
    const label = (await fs.attributes(inode)).find((each) => each.name === 'security.selinux');
    const parts: Uint8Array[] = [];
    if (inode.type === 'file') for await (const part of fs.content(inode)) parts.push(part.slice());
    const bytes =
      inode.type === 'link' ? await fs.linkTarget(inode) : Buffer.concat(parts).toString('base64');
    found.set(
      path,
      [
        inode.type,
        inode.permissions.toString(8),
        inode.uid,
        inode.gid,
        Buffer.from(label?.value ?? []).toString(),
        bytes,
      ].join(' '),
    );
    if (inode.type === 'directory')
      for (const each of await fs.list(inode)) await walk(`${path}/${each.name}`);
  };
  for (const root of [`/data/${name}`, `/user_de/0/${name}`]) await walk(root);
  return found;
}

describe('apps of a phone', () => {
  it('are copied in one batch, each as the phone digests it', async () => {
    const before = await views();
    expect(
      [...before.values()].filter(({ installed }) => !installed!.isBuiltIn).map(({ change }) => change),
    ).toEqual(['never', 'never', 'never']);
    const ended = await copy(notebooks);
    expect(ended.steps.map(({ result }) => result)).toEqual(
      Array(3).fill(expect.stringMatching(/as the phone digests it/)),
    );
    expect(ended.outcome).toMatch(/^3 apps copied/);
    const after = await views();
    for (const name of notebooks) {
      const view = after.get(name)!;
      expect([name, view.change]).toEqual([name, 'as-kept']);
      expect(view.copies[0]!.parts.map((part) => part.name)).toEqual([
        'base.apk',
        'data.tar',
        'device-data.tar',
      ]);
    }
  });

  it('do not read a program that is in the larder, unless that is not whole', async () => {
    const newest = async () => (await views()).get('example.ringcode')!.copies[0]!;
    const first = await newest();
    const again = await copy(['example.ringcode']);
    expect(again.outcome).toMatch(/ of programs were there and not read\.$/);
    expect(again.steps[0]!.result).toMatch(
      /as the phone digests it.*; 4\.0\d MiB of programs are in the larder already$/,
    );
    const second = await newest();
    expect(second.id).not.toBe(first.id);
    expect(second.parts.map(({ name, sha256 }) => [name, sha256])).toContainEqual(
      first.parts.map(({ name, sha256 }) => [name, sha256])[0],
    );
    // Found damaged: every copy that has it.
    for (const each of [first, second]) app.larder.copies.found(each.id, 'base.apk', 'not as it was');
    const read = await copy(['example.ringcode']);
    expect(read.outcome).not.toMatch(/not read/);
    expect((await newest()).parts[0]).toMatchObject({ sha256: first.parts[0]!.sha256, damage: undefined });
    for (const each of [first, second]) app.larder.copies.found(each.id, 'base.apk', undefined);
  });

  it(
    'go back with their data onto a phone that lost them, with another uid',
    { timeout: 120_000 },
    async () => {
      const before = await onFlash('example.tidebook');
      const was = (await views()).get('example.tidebook')!.installed!;
      for (const name of notebooks) await app.bench.link(serial).appWork!.uninstall(name);
      expect((await views()).get('example.tidebook')!.installed).toBeUndefined();
      const ended = await put(notebooks);
      expect(ended.steps.map(({ result }) => result)).toEqual(
        Array(3).fill(expect.stringMatching(/in place and proved/)),
      );
      expect(ended.outcome).toMatch(/^3 apps are in place and proved/);
      const now = (await views()).get('example.tidebook')!;
      expect(now.installed!.permissions).toEqual(was.permissions);
      expect(now.change).toBe('as-kept');
      const after = await onFlash('example.tidebook');
      const { uid } = now.installed!;
      expect(uid).not.toBe(was.uid);
      const expected = [...before]
        .filter(([path]) => !path.includes('/cache'))
        .map(([path, text]) => [
          path,
          text
            .replaceAll(String(was.uid), String(uid))
            .replace(/:c\d+,c256/, `:c${(uid - 10_000) & 255},c${256 + ((uid - 10_000) >> 8)}`),
        ]);
      expect([...after].filter(([path]) => !path.includes('/cache')).sort()).toEqual(expected.sort());
    },
  );
});

describe('apps that came with the system', () => {
  const change = async (action: AppAction, names: readonly string[]) => {
    // The list of what they are for knows something that misses it.
    const confirmed = ['built-in-removal'];
    const { id } = await startChangingApps(app, serial, { packages: [...names], action, confirmed });
    return app.engine.ended(id);
  };
  const stateOf = async (name: string) => (await views()).get(name)!.installed!;

  it('are off only once a copy is kept, and come back', { timeout: 60_000 }, async () => {
    const name = 'example.pocketalmanac';
    await views();
    await expect(change('disable', [name])).rejects.toThrow(/Not whole in the larder yet: Pocket Almanac/);
    await copy([name], ['program']);
    expect((await change('disable', [name])).outcome).toMatch(/^One app changed/);
    expect(await stateOf(name)).toMatchObject({ isEnabled: false, isRemoved: false });
    expect((await change('enable', [name])).state).toBe('done');
    expect((await change('remove', [name])).state).toBe('done');
    // Its program is still there, and with it its name and picture.
    expect(await stateOf(name)).toMatchObject({
      ...{ isRemoved: true, isBuiltIn: true },
      ...{ label: 'Pocket Almanac', hasIcon: true },
    });
    expect((await change('bring-back', [name])).state).toBe('done');
    expect(await stateOf(name)).toMatchObject({ isEnabled: true, isRemoved: false });
  });

  it(
    'are as they came once their update is taken back, and the copy brings it again',
    { timeout: 60_000 },
    async () => {
      const name = 'example.ferrytimes';
      const came = await stateOf(name);
      expect(came.codePath).toMatch(/^\/system\//);
      const update = programBytes({ program: 'ferrytimes', versionCode: 99, seed: 4, bytes: 300_000 });
      const content = async function* () {
        yield await Promise.resolve(update);
      };
      await app.bench
        .link(serial)
        .appWork!.install([{ name: 'base.apk', bytes: update.length, content }], {});
      await views();
      expect(await stateOf(name)).toMatchObject({ versionCode: 99, isBuiltIn: true });
      const [confirmed, packages] = [['will-wipe'], [name]];
      const start = { packages, action: 'take-back-update', confirmed } as const;
      await expect(startChangingApps(app, serial, { ...start, packages })).rejects.toThrow(
        /copy the program first/,
      );
      await copy([name], ['program', 'data']);
      const { id } = await startChangingApps(app, serial, { ...start, packages });
      expect((await app.engine.ended(id)).outcome).toMatch(/^One app changed/);
      expect(await stateOf(name)).toMatchObject({ versionCode: came.versionCode, codePath: came.codePath });
      await expect(startChangingApps(app, serial, { ...start, packages })).rejects.toThrow(
        /Nothing is picked/,
      );
      const kept = app.larder.copies.of(serial).find((each) => each.app.package === name)!;
      const put = await startPuttingApps(app, serial, {
        copies: [{ copyId: kept.id, parts: ['program', 'data'] }],
        confirmed: ['app-running', 'system-record-version'],
        armedWith: serial.slice(-4),
      });
      expect((await app.engine.ended(put.id)).state).toBe('done');
      expect(await stateOf(name)).toMatchObject({ versionCode: 99, isBuiltIn: true });
    },
  );

  it('stay where the phone would be useless without them', async () => {
    await copy(['example.tide.home'], ['program']);
    await expect(change('remove', ['example.tide.home'])).rejects.toThrow(/only home screen/);
  });
});
