// Apps out of kept user data, without the phone: what comes out is what the phone itself hands out.
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it, onTestFinished, vi } from 'vitest';
import type { CopyView } from '@keen-larder/contract/copies.ts';
import {
  isIn,
  keepSet,
  openOn,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../../testing/bench.ts';
import { archivedEntries } from '../../formats/tar.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { startCopying } from './copying.ts';
import { appsInRecovery, appsInside, startTakingInRecovery, startTakingOut } from './taking-out.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
let blocks: string;
let files: string;
let fromPhone: CopyView;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await until('the system', isIn(app, 'system'));
  const { id } = await startCopying(app, serial, {
    apps: [{ package: 'example.tidebook', parts: ['program', 'data', 'device-data'] }],
    confirmed: [],
  });
  await app.engine.ended(id);
  [fromPhone] = app.larder.copies.of(serial) as [CopyView];
  await toRecovery(app, bench.phone);
  blocks = await keepSet(app, 'blocks', ['userdata', 'boot'], { usedOnly: ['userdata'] });
  files = await keepSet(app, 'files', ['userdata-files']);
}, 120_000);
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

/** What a copy's archives hold, by the part and path. */
async function contentsOf(copy: CopyView) {
  const found: Record<string, unknown> = {};
  for (const { name, kind } of copy.parts) {
    const stream = readImage(app.larder.shelf, app.larder.copies.part(copy.id, name));
    if (kind === 'program') found[name] = copy.parts.find((part) => part.name === name)!.sha256;
    else for (const [path, entry] of await archivedEntries(stream)) found[`${name} ${path}`] = entry;
  }
  return found;
}

describe.each([
  ['a block image', () => [blocks, 'userdata'] as const],
  ['an archive of files', () => [files, 'userdata-files'] as const],
])('an app out of %s', (_what, where) => {
  it('is what the phone hands out', { timeout: 60_000 }, async () => {
    const [setId, partition] = where();
    const inside = await appsInside(app, setId, partition);
    expect(inside.map(({ label }) => label)).toEqual(['Marshlog', 'Ringcode', 'Tidebook']);
    const { id } = await startTakingOut(app, setId, partition, { packages: ['example.tidebook'] });
    const ended = await app.engine.ended(id);
    expect(ended.outcome).toMatch(/^One app copied, .* new on the shelf\. As of the set’s time\.$/);
    const set = app.larder.detail(setId);
    const taken = app.larder.copies
      .of(serial)
      .find(({ origin, createdAt }) => origin === 'image' && createdAt === set.createdAt)!;
    expect(await contentsOf(taken)).toEqual(await contentsOf(fromPhone));
    const { stamp, permissions, certificates, uid, installer, sdk } = taken.app;
    expect({ stamp, permissions: granted(permissions), certificates, uid, installer, sdk }).toEqual({
      stamp: fromPhone.app.stamp,
      permissions: granted(fromPhone.app.permissions).filter((name) => !name.endsWith('INTERNET')),
      certificates: fromPhone.app.certificates,
      uid: fromPhone.app.uid,
      installer: fromPhone.app.installer,
      sdk: 28,
    });
  });
});

const granted = (permissions: CopyView['app']['permissions']) =>
  permissions
    .filter((each) => each.granted)
    .map(({ name }) => name)
    .sort();

it('images that hold no apps say so', async () => {
  await expect(appsInside(app, blocks, 'boot')).rejects.toThrow(/boot holds no apps/);
  await expect(startTakingOut(app, blocks, 'userdata', { packages: ['example.gone'] })).rejects.toThrow(
    /example\.gone is not among its apps/,
  );
});

describe('a phone in recovery', () => {
  it(
    'lets its apps be copied from their files, each as the phone digests it',
    { timeout: 60_000 },
    async () => {
      await toRecovery(app, bench.phone);
      const found = await appsInRecovery(app, serial);
      expect(found.map(({ label }) => label)).toEqual(['Marshlog', 'Ringcode', 'Tidebook']);
      const packages = ['example.tidebook', 'example.ringcode'];
      const { id } = await startTakingInRecovery(app, serial, { packages });
      const ended = await app.engine.ended(id);
      expect(ended.outcome).toMatch(/^2 apps copied, /);
      const taken = app.larder.copies.of(serial).find(({ app: { package: name } }) => name === packages[0])!;
      expect(taken.origin).toBe('phone');
      expect(await contentsOf(taken)).toEqual(await contentsOf(fromPhone));
      expect(taken.app.stamp).toEqual(fromPhone.app.stamp);
    },
  );

  it('is waited for when its cable comes out', { timeout: 60_000 }, async () => {
    const { id } = await startTakingInRecovery(app, serial, { packages: ['example.tidebook'] });
    bench.phone.pullCableAfter(3_000_000);
    await until('the cable', () => !bench.phone.state().cable);
    bench.phone.setCable(true);
    expect((await app.engine.ended(id)).outcome).toMatch(/^One app copied, /);
    const [taken] = app.larder.copies.of(serial);
    expect(await contentsOf(taken!)).toEqual(await contentsOf(fromPhone));
  });

  it('has one app named that does not come out as it digests it; the others are copied', async () => {
    const { files: access } = app.bench.link(serial);
    const { digests } = access!;
    const asked = vi.spyOn(access!, 'digests').mockImplementation(async (folder, paths, signal) => {
      const found = await digests.call(access, folder, paths, signal);
      return new Map([...found].map(([path, is]) => [path, path.includes('ringcode') ? 'otherwise' : is]));
    });
    onTestFinished(() => asked.mockRestore());
    const packages = ['example.ringcode', 'example.marshlog'];
    const { id } = await startTakingInRecovery(app, serial, { packages });
    const { state, outcome, steps } = await app.engine.ended(id);
    expect(state).toBe('incomplete');
    expect(outcome).toMatch(/^One app was not copied: Ringcode\. Each step says why\. One app copied, /);
    expect(steps[0]!.result).toMatch(/ringcode.* did not come out as the phone digests it, twice/);
    const [newest, before] = app.larder.copies.of(serial).map((copy) => copy.app.package);
    expect([newest, before]).toEqual(['example.marshlog', 'example.tidebook']);
  });

  it('is not begun with where the shelf has no room, or the phone would go off', async () => {
    const packages = ['example.marshlog'];
    const space = vi
      .spyOn(app.larder.shelf, 'space')
      .mockResolvedValue({ freeBytes: 1000, totalBytes: 2000 });
    await expect(startTakingInRecovery(app, serial, { packages })).rejects.toThrow(/shelf is too full/);
    await expect(startTakingOut(app, blocks, 'userdata', { packages })).rejects.toThrow(/Empty the bin/);
    space.mockRestore();
    const now = app.bench.facts(serial);
    const facts = vi
      .spyOn(app.bench, 'facts')
      .mockReturnValue({ ...now, battery: { percent: 9, charging: false } });
    onTestFinished(() => facts.mockRestore());
    await expect(startTakingInRecovery(app, serial, { packages })).rejects.toThrow(/Battery 9 %.*Charge it/);
  });

  it('is no place for apps that are not there, nor a running system for this way', async () => {
    await expect(startTakingInRecovery(app, serial, { packages: ['example.nobody'] })).rejects.toThrow(
      /example\.nobody is not among its apps/,
    );
    void bench.phone.start('system');
    await until('the system', isIn(app, 'system'));
    await expect(appsInRecovery(app, serial)).rejects.toThrow(/in recovery alone/);
  });
});
