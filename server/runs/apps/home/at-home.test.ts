// What ties apps to a phone, kept with their copies and put back after the phone was erased, on simulated phones of several Androids.
// Judged by the files in which their systems note it.
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { homeFiles } from '@keen-larder/standin/packages/home-files.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { quick, serial as nine, startKnot3, testFolder, until } from '../../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../../keen-larder.ts';
import { startCopying } from '../copying.ts';
import { startPuttingApps } from '../putting-apps.ts';
import { readHomes } from './at-home.ts';

/** Android's API levels of phones whose systems have root, and of one without. */
const phones = { [nine]: 28, 'MS10-70055': 30, 'MRU4-51288': 33, 'TW5K-20316': 34 } as const;
const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), Object.keys(phones));
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'home'),
    addresses: bench.phones.map((phone) => phone.state().adb),
  });
  await until('all systems', () =>
    Object.keys(phones).every((each) => app.bench.linkIn(each, 'system') !== undefined),
  );
}, 120_000);
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const phoneOf = (of: string): Phone => bench.phones.find(({ identity }) => identity.serial === of)!;
const noted = async (of: string, path: string) =>
  (await (await openFileSystem(await phoneOf(of).userData())).text(path)) ?? '';

describe.each(Object.entries(phones))('on %s, Android API level %i', (serial, sdk) => {
  it('comes back after an erasing', { timeout: 120_000 }, async () => {
    const { root } = app.bench.facts(serial);
    const names = (await app.bench.apps(serial).list())
      .filter((each) => !each.isBuiltIn)
      .map((each) => each.package)
      .slice(0, 4);
    const link = () => app.bench.link(serial);
    if (sdk >= 33) await link().home!.setLanguages(names[0]!, 'de-DE,en');
    await link().home!.setOp(names.at(-1)!, 'SYSTEM_ALERT_WINDOW', 'allow');
    const before = await readHomes(link(), names, sdk);
    const all = [...before.values()];
    // The second reads notifications, the third helps.
    expect(all.flatMap((each) => each.listeners ?? [])).toHaveLength(names.length > 1 ? 1 : 0);
    expect(all.flatMap((each) => each.accessibility ?? [])).toHaveLength(names.length > 2 ? 1 : 0);
    expect(all.filter((each) => each.isExempt)).toHaveLength(1);
    expect(all.map((each) => Boolean(each.androidId))).toEqual(names.map(() => root));

    const parts = ['program' as const, ...(root ? (['data', 'device-data'] as const) : [])];
    const copying = { apps: names.map((name) => ({ package: name, parts })), confirmed: ['app-running'] };
    const copied = await app.engine.ended((await startCopying(app, serial, copying)).id);
    expect(copied.state, copied.outcome).toBe('done');
    const copies = app.larder.copies.of(serial);

    await phoneOf(serial).reset();
    await until('the erased system', () => (phoneOf(serial).state().phase as string) === 'running');
    await until('it is here', async () => {
      const list = await app.bench
        .linkIn(serial, 'system')
        ?.apps?.list()
        .catch(() => undefined);
      return list !== undefined && !list.some((each) => names.includes(each.package));
    });
    expect(await noted(serial, homeFiles.idle)).not.toContain('<wl');

    const { id } = await startPuttingApps(app, serial, {
      copies: copies.map((copy) => ({ copyId: copy.id, parts })),
      confirmed: ['battery', 'hardware-keys', 'one-phone-account'],
      ...(root && { withIds: true }),
    });
    const put = await app.engine.ended(id);
    const told = put.steps.map((each) => JSON.stringify(each)).join('\n');
    expect(put.state, told).toBe('done');

    const after = await readHomes(link(), names, sdk);
    for (const [name, kept] of before) {
      // The home screen places widgets.
      const widgets = root ? 0 : undefined;
      expect(after.get(name), name).toEqual({ ...kept, widgets });
    }
    expect(await noted(serial, homeFiles.idle)).toContain('<wl');
    const packages = await app.bench.apps(serial).list();
    for (const { app: kept } of copies) {
      const one = packages.find((each) => each.package === kept.package)!;
      expect(one.installer).toBe(kept.installer);
      expect(one.updateOwner).toBe(sdk >= 34 ? kept.home!.updateOwner : undefined);
    }
  });
});
