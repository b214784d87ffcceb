// kill -9 while apps are copied and put back: copies are whole or not there, and an app's data is the one or the other.
import { createHash } from 'node:crypto';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { AppView, CopyView } from '@keen-larder/contract/copies.ts';
import { isLive, type RunView } from '@keen-larder/contract/runs.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { useForADay } from '@keen-larder/standin/scenario/daily-use.ts';
import { serial, startKnot3, testFolder, until } from '../../testing/bench.ts';
import { KillableServer } from '../../testing/killable.ts';
import { killPoints } from '../../testing/effort.ts';

const folder = testFolder();
const home = join(folder.path, 'larder');
const name = 'example.tidebook';
const parts = ['program', 'data', 'device-data'];
let bench: Awaited<ReturnType<typeof startKnot3>>;
const server = new KillableServer(home, () => bench.phone.state().adb);
const ask = <T>(path: string, body?: object) => server.ask<T>(path, body);
beforeAll(async () => {
  mkdirSync(home);
  bench = await startKnot3(join(folder.path, 'phones'));
  await until('the phone', () => bench.phone.state().phase === 'running');
  await server.start();
});
afterAll(async () => {
  await server.kill();
  await bench.close();
  folder.remove();
});

const kills = killPoints(1);

async function databaseOnFlash(): Promise<string> {
  const fs = await Ext4.open(bench.phone.flash.partition('userdata')!);
  const hash = createHash('sha256');
  for await (const part of fs.content((await fs.find(`/data/${name}/databases/tidebook.db`))!))
    hash.update(part);
  return hash.digest('hex');
}
const start = (path: string, body: object) => ask<RunView>(`/phones/${serial}/${path}`, body);
async function ended({ id }: RunView): Promise<RunView> {
  await until('its end', async () => !isLive(await ask<RunView>(`/runs/${id}`)));
  return ask<RunView>(`/runs/${id}`);
}
const copy = () => start('copying', { apps: [{ package: name, parts }], confirmed: [] });
const put = (copyId: string) =>
  start('putting-apps', {
    copies: [{ copyId, parts: ['data', 'device-data'] }],
    confirmed: [],
    armedWith: serial.slice(-4),
  });
const copies = async () => (await ask<CopyView[]>('/app-copies')).filter(({ app }) => app.package === name);
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

it(
  `ends with one copy's data whole, killed at ${kills} points of putting it back`,
  { timeout: 900_000 },
  async () => {
    expect((await ended(await copy())).state).toBe('done');
    const one = { copy: (await copies())[0]!, database: await databaseOnFlash() };
    await useForADay(bench.phone.flash, 3);
    expect((await ended(await copy())).state).toBe('done');
    const other = { copy: (await copies())[0]!, database: await databaseOnFlash() };
    expect(other.database).not.toBe(one.database);
    /** How long putting back takes: kills are spread over all of it. */
    let tookMs = 3000;
    let broken = 0;
    for (let n = 0; n < kills; n++) {
      const [wanted, there] = n % 2 === 0 ? [one, other] : [other, one];
      expect(await databaseOnFlash()).toBe(there.database);
      const run = await put(wanted.copy.id);
      await pause(((n * 0.618034) % 1) * tookMs);
      await server.kill();
      await server.start();
      const after = await ask<RunView>(`/runs/${run.id}`);
      if (after.state !== 'done') {
        broken++;
        expect(after.outcome).toMatch(/what was being exchanged is undone first/);
      }
      // Whatever it had come to, a copy taken now has the one or the other, and nothing of the exchange.
      expect((await ended(await copy())).state).toBe('done');
      expect([one.database, other.database]).toContain(await databaseOnFlash());
      const [view] = (await ask<AppView[]>(`/phones/${serial}/apps`)).filter((app) => app.package === name);
      expect(view).toMatchObject({ change: 'as-kept', installed: { isHalfPut: false } });
      const beganAt = performance.now();
      expect((await ended(await put(wanted.copy.id))).outcome).toMatch(/^One app is in place and proved/);
      tookMs = performance.now() - beganAt;
      expect(await databaseOnFlash()).toBe(wanted.database);
    }
    // Most kills were in the middle of something.
    expect(broken).toBeGreaterThan(kills / 3);
  },
);

it(`has whole copies alone, killed at ${kills} points of copying`, { timeout: 600_000 }, async () => {
  for (let n = 0; n < kills; n++) {
    const before = (await copies()).length;
    const run = await copy();
    await pause(((n * 0.618034) % 1) * 500);
    await server.kill();
    await server.start();
    const { state } = await ask<RunView>(`/runs/${run.id}`);
    const now = await copies();
    if (state === 'done') expect(now).toHaveLength(before + 1);
    for (const each of now)
      expect(each.parts.map((part) => part.name)).toEqual(['base.apk', 'data.tar', 'device-data.tar']);
    // What a killed run left does not stand in the way.
    expect((await ended(await copy())).state).toBe('done');
  }
});
