// Apps of a phone on a newer Android, whose user data is encrypted, and what the other phone says of them.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { quick, serial, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { startCopying } from './copying.ts';
import { startPuttingApps } from './putting-apps.ts';

const knot5 = 'TW5K-20316';
const everything: PartKind[] = ['program', 'data', 'device-data'];
const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), [knot5]);
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'home'),
    addresses: bench.phones.map((phone) => phone.state().adb),
  });
  await until('both systems', () =>
    [serial, knot5].every((each) => app.bench.linkIn(each, 'system') !== undefined),
  );
}, 120_000);
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

it(
  'are copied out of the running system, keys in the hardware left behind and told of',
  { timeout: 120_000 },
  async () => {
    const listed = await app.appSheets.views(knot5);
    const bank = listed.find(({ label }) => label === 'Dune Bank')!;
    expect(bank.installed!.hasHardwareKeys).toBe(true);
    expect(listed.filter(({ installed }) => installed!.hasHardwareKeys)).toHaveLength(1);
    const apps = listed
      .filter(({ installed }) => !installed!.isBuiltIn)
      .map((view) => ({ package: view.package, parts: everything }));
    const { id } = await startCopying(app, knot5, { apps, confirmed: [] });
    expect((await app.engine.ended(id)).outcome).toMatch(/^3 apps copied/);

    const copies = app.larder.copies.of(knot5).map((copy) => ({ copyId: copy.id, parts: everything }));
    const { checks } = await app.appSheets.putting(serial, { copies });
    const said = new Map(checks.map((check) => [check.id, check]));
    expect(said.get('hardware-keys')!.sentence).toMatch(
      /^Dune Bank: its keys were in the hardware of the phone that it came from/,
    );
    expect(said.get('one-phone-account')!.sentence).toMatch(/^Harbour Chat: /);
    expect(said.get('checks-the-phone')!.sentence).toMatch(/^Dune Bank: /);
    await expect(startPuttingApps(app, serial, { copies, confirmed: [] })).rejects.toThrow(/Dune Bank/);
    const confirmed = ['hardware-keys', 'one-phone-account', 'older-program'];
    const putting = await startPuttingApps(app, serial, { copies, confirmed, armedWith: serial.slice(-4) });
    expect((await app.engine.ended(putting.id)).outcome).toMatch(/^3 apps are in place and proved/);
  },
);
