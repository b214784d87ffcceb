import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { verifyRecord } from '@keen-larder/core/people/record.ts';
import { quick, silent, testFolder } from '../../testing/bench.ts';
import { routesOf } from '../../testing/routes.ts';
import { deeds } from '../people/deeds.ts';
import { openKeenLarder } from '../keen-larder.ts';
import { serve, type Serving } from '../serve.ts';
import { apiRoutes } from './app.ts';

const folder = testFolder();
const home = join(folder.path, 'home');
const owner = { name: 'Hut owner', passphrase: 'samphire and sea lavender' };
const technician = { name: 'Bench two', passphrase: 'marram grass in the wind' };
let serving: Serving;
let clock = Date.UTC(2026, 5, 1, 9);

beforeAll(async () => {
  serving = await serve({ ...quick, home, port: 0, addresses: [], isClosed: true, now: () => clock });
});
afterAll(async () => {
  await serving.close();
  folder.remove();
});

interface Browser {
  cookie: string;
}

async function ask(
  browser: Browser,
  route: string,
  body?: unknown,
): Promise<{ status: number; value: unknown }> {
  const [method, path] = route.split(' ') as [string, string];
  const answer = await fetch(`${serving.url}/api${path}`, {
    method,
    headers: {
      cookie: browser.cookie,
      ...(body !== undefined && { 'content-type': 'application/json' }),
    },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const set = answer.headers.get('set-cookie');
  if (set) browser.cookie = set.split(';')[0]!;
  const text = await answer.text();
  const isJson = answer.headers.get('content-type')?.includes('json');
  return { status: answer.status, value: isJson && text ? JSON.parse(text.split('\n')[0]!) : text };
}

const withKey = (): Browser => {
  const url = new URL(serving.link);
  return { cookie: `keen-larder-${url.port}=${url.searchParams.get('key')}` };
};
const nobody = (): Browser => ({ cookie: '' });
const recordLines = () =>
  [...serving.app.record.lines()].map((line) => JSON.parse(line) as { who: string; what: string });

async function signedIn(who: typeof owner): Promise<Browser> {
  const browser = nobody();
  expect((await ask(browser, 'POST /session', who)).status).toBe(201);
  return browser;
}

describe('before anybody is named', () => {
  it('asks for the key of the link, and writes down what is done all the same', async () => {
    expect((await ask(nobody(), 'GET /phones')).status).toBe(401);
    const browser = withKey();
    expect((await ask(browser, 'GET /session')).value).toEqual({ asksWho: false });
    expect((await ask(browser, 'PUT /shop', { name: 'Saltmere', address: '' })).status).toBe(200);
    expect(recordLines().at(-1)).toMatchObject({ who: '', what: 'PUT /shop' });
  });

  it('begins with an owner whose passphrase is not short', async () => {
    const browser = withKey();
    expect((await ask(browser, 'POST /operators', { ...technician, role: 'technician' })).status).toBe(409);
    expect(
      (await ask(browser, 'POST /operators', { ...owner, passphrase: 'short', role: 'owner' })).status,
    ).toBe(422);
    expect((await ask(browser, 'POST /operators', { ...owner, role: 'owner' })).status).toBe(201);
  });
});

describe('once somebody is named', () => {
  it('answers no route before one has signed in, with the key of the link or without', async () => {
    const routes = routesOf(apiRoutes(serving.app, { log: silent, practiceUrl: undefined }));
    expect(routes.length).toBeGreaterThan(100);
    const open = ['GET /about', 'GET /session', 'POST /session', 'DELETE /session'];
    for (const browser of [
      nobody(),
      withKey(),
      { cookie: `keen-larder-session-${new URL(serving.url).port}=x` },
    ]) {
      const answered: string[] = [];
      for (const route of routes) {
        const { status } = await ask(
          browser,
          route.replaceAll(/[:*]\w+/g, '1'),
          route.startsWith('GET') ? undefined : {},
        );
        if (status !== 401) answered.push(route);
      }
      expect(answered.sort()).toEqual(open.toSorted());
    }
  });

  it('knows of each route that is no mere look what to write down', () => {
    const routes = routesOf(apiRoutes(serving.app, { log: silent, practiceUrl: undefined }));
    expect(routes.filter((route) => !route.startsWith('GET') && !(route in deeds))).toEqual([]);
    expect(Object.keys(deeds).filter((route) => !routes.includes(route))).toEqual([]);
  });

  it('takes the right passphrase only, and tells nobody which of both is wrong', async () => {
    const wrong = await ask(nobody(), 'POST /session', { ...owner, passphrase: 'samphire' });
    const unknown = await ask(nobody(), 'POST /session', { ...owner, name: 'Nobody' });
    expect(wrong).toMatchObject({ status: 401 });
    expect(unknown).toEqual(wrong);
    const browser = await signedIn(owner);
    expect((await ask(browser, 'GET /session')).value).toMatchObject({
      asksWho: true,
      me: { name: owner.name },
    });
    expect((await ask(browser, 'GET /phones')).status).toBe(200);
  });

  it('keeps the session where no script and no other page can take it', async () => {
    const answer = await fetch(`${serving.url}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(owner),
    });
    const cookie = answer.headers.get('set-cookie')!;
    expect(cookie).toMatch(/; HttpOnly; SameSite=Strict; Path=\/$/);
    const token = cookie.split(/[=;]/)[1]!;
    const { readFileSync, readdirSync } = await import('node:fs');
    for (const name of readdirSync(home).filter((each) => each.startsWith('catalogue')))
      expect(readFileSync(join(home, name)).includes(token)).toBe(false);
  });

  it('lets a name be guessed five times from one place, and says when to try again', async () => {
    const guess = (name: string) => ask(nobody(), 'POST /session', { name, passphrase: 'a guess of mine' });
    for (let i = 0; i < 5; i++) expect((await guess('Somebody else')).status).toBe(401);
    const refused = await guess('somebody ELSE');
    expect(refused).toMatchObject({
      status: 429,
      value: { detail: expect.stringMatching(/Try again in 15 minutes/) as string },
    });
    await signedIn(owner);
  });

  it('has technicians do all but what is for owners', async () => {
    const browser = await signedIn(owner);
    expect((await ask(browser, 'POST /operators', { ...technician, role: 'technician' })).status).toBe(201);
    expect(
      (await ask(browser, 'POST /operators', { ...technician, name: 'BENCH TWO', role: 'owner' })).status,
    ).toBe(409);
    const other = await signedIn(technician);
    const forOwners = Object.entries(deeds)
      .filter(([, { forOwners }]) => forOwners)
      .map(([route]) => route);
    expect(forOwners).toContain('POST /phones/:serial/erasing');
    for (const route of forOwners)
      expect([route, (await ask(other, route.replaceAll(/:\w+/g, '1'), {})).status]).toEqual([route, 403]);
    expect((await ask(other, 'PUT /order/due', { days: 9 })).status).toBe(200);
    expect(recordLines().at(-1)).toMatchObject({ who: technician.name, what: 'PUT /order/due' });
  });

  it('writes down what was done, not what was refused', async () => {
    const browser = await signedIn(owner);
    const before = recordLines().length;
    expect((await ask(browser, 'PUT /order/due', { days: 'no number' })).status).toBe(400);
    expect((await ask(browser, 'DELETE /exports/none')).status).toBe(404);
    expect(recordLines().length).toBe(before);
    const { value } = await ask(browser, 'GET /record');
    expect(value).toMatchObject({ count: before });
    expect((value as { brokenAt?: number }).brokenAt).toBeUndefined();
    const exported = await ask(browser, 'GET /record/export');
    expect(exported.status).toBe(200);
    expect(recordLines().at(-1)).toMatchObject({ who: owner.name, what: 'GET /record/export' });
  });

  it('ends a session when one signs out, what it listens to included', async () => {
    const browser = await signedIn(technician);
    const events = await fetch(`${serving.url}/api/events`, { headers: { cookie: browser.cookie } });
    const ended = events.text().then(
      () => 'ended',
      () => 'ended',
    );
    const kept = { ...browser };
    expect((await ask(browser, 'DELETE /session')).status).toBe(204);
    expect(await ended).toBe('ended');
    expect((await ask(kept, 'GET /phones')).status).toBe(401);
  });

  it('ends all sessions with another passphrase, but for the one that asked', async () => {
    const [browser, elsewhere] = [await signedIn(technician), await signedIn(technician)];
    const change = { before: 'wrong and long enough', passphrase: 'sandpipers at low tide' };
    expect((await ask(browser, 'PUT /session/passphrase', change)).status).toBe(403);
    expect(
      (await ask(browser, 'PUT /session/passphrase', { ...change, before: technician.passphrase })).status,
    ).toBe(204);
    expect((await ask(browser, 'GET /phones')).status).toBe(200);
    expect((await ask(elsewhere, 'GET /phones')).status).toBe(401);
    technician.passphrase = change.passphrase;
  });

  it('ends sessions that nobody uses, and each after a week', async () => {
    const browser = await signedIn(technician);
    clock += 11 * 3_600_000;
    expect((await ask(browser, 'GET /phones')).status).toBe(200);
    clock += 11 * 3_600_000;
    expect((await ask(browser, 'GET /phones')).status).toBe(200);
    clock += 13 * 3_600_000;
    expect((await ask(browser, 'GET /phones')).status).toBe(401);
    const used = await signedIn(technician);
    for (let i = 0; i < 17; i++) {
      clock += 10 * 3_600_000;
      expect([i, (await ask(used, 'GET /phones')).status]).toEqual([i, i < 16 ? 200 : 401]);
    }
  });

  it('keeps one owner, and is without names again when the last one goes', async () => {
    const browser = await signedIn(owner);
    const [two, one] = serving.app.people.list();
    expect((await ask(browser, `PATCH /operators/${one!.id}`, { role: 'technician' })).status).toBe(409);
    expect((await ask(browser, `DELETE /operators/${one!.id}`)).status).toBe(409);
    const theirs = await signedIn(technician);
    expect((await ask(browser, `DELETE /operators/${two!.id}`)).status).toBe(204);
    expect((await ask(theirs, 'GET /phones')).status).toBe(401);
    expect((await ask(nobody(), 'POST /session', technician)).status).toBe(401);
    expect((await ask(browser, `DELETE /operators/${one!.id}`)).status).toBe(204);
    expect((await ask(withKey(), 'GET /phones')).status).toBe(200);
    expect((await ask(nobody(), 'GET /phones')).status).toBe(401);
  });

  it('has a record that was never changed, and shows it where somebody did', async () => {
    const lines = [...serving.app.record.lines()];
    expect(lines.length).toBeGreaterThan(15);
    expect(verifyRecord(lines).brokenAt).toBeUndefined();
    await serving.close();
    const { default: Database } = await import('better-sqlite3');
    const db = new Database(join(home, 'catalogue.sqlite'));
    const change = "UPDATE record SET line = replace(line, 'Hut owner', 'Bench two') WHERE n = 7";
    expect(() => db.prepare(change).run()).toThrow('only added to');
    expect(() => db.prepare('DELETE FROM record WHERE n = 7').run()).toThrow('only added to');
    db.exec('DROP TRIGGER recordStays');
    db.prepare(change).run();
    db.close();
    const app = await openKeenLarder({ ...quick, home, addresses: [] });
    expect(app.record.verify()).toMatchObject({ lines: lines.length, brokenAt: 8 });
    await app.close();
    serving = await serve({ ...quick, home, port: 0, addresses: [] });
  });
});
