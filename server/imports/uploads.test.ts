// Copies that a browser hands over in ways that no browser does.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { serveAlone, testFolder } from '../../testing/bench.ts';
import type { Serving } from '../serve.ts';

const folder = testFolder();
let serving: Serving;
let id: string;
beforeAll(async () => {
  serving = await serveAlone(join(folder.path, 'home'));
  id = ((await (await fetch(`${serving.url}/api/copies`, { method: 'POST' })).json()) as { id: string }).id;
});
afterAll(async () => {
  await serving.close();
  folder.remove();
});

const put = async (path: string, of = id, headers: Record<string, string> = {}) => {
  const address = `${serving.url}/api/copies/${of}/files?path=${encodeURIComponent(path)}`;
  const answer = await fetch(address, { method: 'PUT', body: 'bytes', headers });
  return [answer.status, ((await answer.json()) as { detail?: string }).detail ?? ''] as const;
};

it('takes files, and whatever else they are to be is refused with words', async () => {
  expect((await put('a.img'))[0]).toBe(201);
  expect(await put('a.img')).toEqual([409, 'a.img came twice.']);
  expect(await put('a.img/b')).toEqual([409, expect.stringMatching(/one of the two is a folder/)]);
  expect((await put('c/d'))[0]).toBe(201);
  expect(await put('c')).toEqual([409, expect.stringMatching(/one of the two is a folder|came twice/)]);
});

it('counts the bytes of names, as file systems do', async () => {
  expect((await put('é'.repeat(115)))[0]).toBe(201);
  expect((await put('é'.repeat(150)))[0]).toBe(400);
  expect((await put('x'.repeat(400)))[0]).toBe(400);
  expect((await put('../../x'))[0]).toBe(400);
});

it('knows copies that were begun, and no others', async () => {
  const other = '00000000-0000-0000-0000-000000000000';
  expect((await put('a.img', other))[0]).toBe(404);
  const end = await fetch(`${serving.url}/api/copies/${other}/end?name=x`, { method: 'POST' });
  expect(end.status).toBe(404);
});
