import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { quick, testFolder } from '../../testing/bench.ts';
import { serve, type Serving } from '../serve.ts';

const folder = testFolder();
const home = join(folder.path, 'home');
let serving: Serving;
let key: string;

beforeAll(async () => {
  serving = await serve({ ...quick, home, port: 0, addresses: [], isClosed: true });
  key = new URL(serving.link).searchParams.get('key')!;
});
afterAll(async () => {
  await serving.close();
  folder.remove();
});

const status = async (path: string, headers: Record<string, string> = {}, at = serving.url) =>
  (await fetch(`${at}${path}`, { headers, redirect: 'manual' })).status;

describe('a bench that is not open to everybody', () => {
  it('answers nothing without its key, on loopback either', async () => {
    for (const path of ['/api/about', '/api/phones', '/api/sets', '/api/events', '/api/nothing-of-the-kind'])
      expect([path, await status(path)]).toEqual([path, 401]);
    const answer = await fetch(`${serving.url}/api/phones`);
    expect(await answer.json()).toMatchObject({ detail: expect.stringMatching(/Open the link/) as string });
    expect((await fetch(`${serving.url}/api/bin/empty`, { method: 'POST' })).status).toBe(401);
  });

  it('takes no other key', async () => {
    expect(await status(`/?key=${'x'.repeat(key.length)}`)).toBe(401);
    expect(await status('/?key=')).toBe(401);
    expect(await status(`/?key=${key}&key=${key}`)).toBe(401);
    expect(await status('/api/phones', { authorization: 'Bearer x' })).toBe(401);
    expect(await status('/api/phones', { cookie: `keen-larder-1=${key}` })).toBe(401);
  });

  it('has the browser remember the key of the link, and no script see it', async () => {
    const opened = await fetch(serving.link, { redirect: 'manual' });
    expect([opened.status, opened.headers.get('location')]).toEqual([303, '/']);
    const [cookie] = opened.headers.getSetCookie();
    expect(cookie).toMatch(/; HttpOnly; SameSite=Strict; Path=\/; /);
    expect(await status('/api/phones', { cookie: `other=1; ${cookie!.split(';')[0]}` })).toBe(200);
  });

  it('takes the key from programs as well, and has its answers kept by nobody', async () => {
    const headers = { authorization: `Bearer ${key}` };
    const answer = await fetch(`${serving.url}/api/about`, { headers });
    expect(await answer.json()).toMatchObject({ practice: false, isOpen: false });
    expect(answer.headers.get('cache-control')).toBe('no-store');
  });

  it('keeps its key for its owner, and through the next start', async () => {
    const path = join(home, 'access-key');
    expect(readFileSync(path, 'utf8').trim()).toBe(key);
    expect(statSync(path).mode & 0o777).toBe(0o600);
    await serving.close();
    serving = await serve({ ...quick, home, port: 0, addresses: [], isClosed: true });
    expect(new URL(serving.link).searchParams.get('key')).toBe(key);
  });
});

it('is open where that was asked for, and says so', async () => {
  const open = await serve({ ...quick, home: join(folder.path, 'open'), port: 0, addresses: [] });
  expect(open.link).toBe(open.url);
  expect(await (await fetch(`${open.url}/api/about`)).json()).toMatchObject({
    practice: false,
    isOpen: true,
  });
  await open.close();
});
