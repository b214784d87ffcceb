// What was turned off on one phone, put onto the next of its model. Judged by the phones' own package managers.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { sameOff } from '@keen-larder/core/apps/built-in.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { quick, serial, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { startChangingApps } from './changing-apps.ts';
import { startCopying } from './copying.ts';

const [next, other] = ['TW3K-10517', 'TW5K-20316'];
const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), [next, other]);
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'home'),
    addresses: bench.phones.map((phone) => phone.state().adb),
  });
  await until('all systems', () =>
    [serial, next, other].every((each) => app.bench.linkIn(each, 'system') !== undefined),
  );
}, 120_000);
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const phoneOf = (of: string): Phone => bench.phones.find(({ identity }) => identity.serial === of)!;
async function change(of: string, packages: readonly string[], action: 'disable' | 'remove') {
  // What is removed can come back whatever happens.
  const copying = {
    apps: packages.map((name) => ({ package: name, parts: ['program' as const] })),
    confirmed: [],
  };
  await app.engine.ended((await startCopying(app, of, copying)).id);
  const confirmed = ['built-in-removal', 'copy-first', 'app-running'];
  const { id } = await startChangingApps(app, of, { packages: [...packages], action, confirmed });
  const ended = await app.engine.ended(id);
  expect(ended.state, ended.outcome).toBe('done');
}
/** What its own package manager wrote down as off. */
async function offOn(of: string): Promise<string[]> {
  const fs = await openFileSystem(phoneOf(of).flash.partition('userdata')!);
  const text = (await fs.text('/system/users/0/package-restrictions.xml'))!;
  return [...text.matchAll(/<pkg ([^>]*)>/g)]
    .map(([, attributes]) => attributes!)
    .filter((each) => /inst="false"|enabled="3"/.test(each))
    .map((each) => `${/name="([^"]*)"/.exec(each)![1]} ${/inst="false"/.test(each) ? 'removed' : 'disabled'}`)
    .sort();
}

it('is listed for other phones of the model, and the same is done there', { timeout: 120_000 }, async () => {
  expect(app.appSheets.turnedOffElsewhere(next)).toEqual([]);
  const names = (await app.appSheets.views(serial))
    .filter(({ installed }) => installed?.isBuiltIn && /ferry|almanac/i.test(installed.package))
    .map((each) => each.package);
  expect(names.length).toBeGreaterThan(1);
  await change(serial, names.slice(0, 1), 'disable');
  await change(serial, names.slice(1), 'remove');
  await app.appSheets.views(serial);

  const [found, ...more] = app.appSheets.turnedOffElsewhere(next);
  expect(more).toEqual([]);
  expect(found).toMatchObject({ serial });
  expect(found!.apps).toHaveLength(names.length);
  expect(app.appSheets.turnedOffElsewhere(other)).toEqual([]);
  expect(app.appSheets.turnedOffElsewhere(serial)).toEqual([]);

  const here = (await app.appSheets.views(next)).flatMap(({ installed }) => (installed ? [installed] : []));
  const same = sameOff(here, found!.apps);
  expect([same.disable.length, same.remove.length]).toEqual([1, names.length - 1]);
  await change(next, same.disable, 'disable');
  await change(next, same.remove, 'remove');
  expect(await offOn(next)).toEqual(await offOn(serial));
  expect((await offOn(next)).length).toBe(names.length);
});
