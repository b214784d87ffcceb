// Every route that the program has, by its own list, is called with bodies, names and content types that nobody should send.
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import {
  isIn,
  keepSet,
  serial,
  serveOn,
  silent,
  startKnot3,
  testFolder,
  until,
} from '../../testing/bench.ts';
import { routesOf } from '../../testing/routes.ts';
import type { Serving } from '../serve.ts';
import { apiRoutes } from './app.ts';

const folder = testFolder();
const home = join(folder.path, 'home');
let bench: Awaited<ReturnType<typeof startKnot3>>;
let serving: Serving;
let setId: string;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  serving = await serveOn(home, bench);
  void bench.phone.start('recovery');
  await until('recovery', isIn(serving.app, 'recovery'));
  setId = await keepSet(serving.app, 'something to ask for', ['boot', 'logo']);
});
afterAll(async () => {
  await serving.close();
  await bench.close();
  folder.remove();
});

/** What there really is, so that a request gets past the first door, and what there is not. */
const ids = () =>
  fc.constantFrom(serial, setId, 'boot', 'none', '..', '%2e%2e%2f', 'é'.repeat(200), "'; DROP TABLE sets;--");

/** Names that requests have, with values of every kind. */
const fieldNames = [
  ...[
    'address',
    'armedWith',
    'aside',
    'apps',
    'atOnce',
    'binned',
    'change',
    'choices',
    'confirmed',
    'copies',
    'form',
  ],
  ...[
    'into',
    'keepFirst',
    'label',
    'lock',
    'nickname',
    'note',
    'packages',
    'packing',
    'parts',
    'path',
    'picked',
  ],
  ...[
    'prefixes',
    'puts',
    'records',
    'restartAfter',
    'seen',
    'serial',
    'splitMebibytes',
    'to',
    'usedOnly',
    'what',
  ],
];
const value = () =>
  fc.oneof(
    fc.constantFrom<unknown>(null, true, '', '../../etc/passwd', 'x'.repeat(5000), -1, 1e308, [], {}),
    fc.string({ unit: 'binary', maxLength: 40 }),
    fc.array(fc.oneof(fc.string(), fc.constantFrom<unknown>('boot', null, {}, [[]])), { maxLength: 4 }),
    fc.array(
      fc.record({
        setId: fc.constant(setId),
        partition: fc.string(),
        copyId: fc.string(),
        parts: fc.string(),
      }),
    ),
    fc.dictionary(fc.constantFrom('__proto__', 'constructor', 'length', 'a'), fc.string(), { maxKeys: 3 }),
  );
const body = () => fc.dictionary(fc.constantFrom(...fieldNames), value(), { maxKeys: 6 });

/** Nothing may say where on this computer anything lies. */
const tellsPaths = (text: string) => text.includes(folder.path) || /\/node_modules\/|\bat file:/.test(text);

async function call(route: string, headers: Record<string, string>, given: string | undefined) {
  const [method, path] = route.split(' ') as [string, string];
  const answer = await fetch(`${serving.url}/api${path}`, {
    method,
    headers,
    signal: AbortSignal.timeout(20_000),
    ...(given !== undefined && method !== 'GET' && { body: given }),
  });
  // Of what streams, the head is enough.
  const text = /stream|octet/.test(answer.headers.get('content-type') ?? '') ? '' : await answer.text();
  if (text === '') await answer.body?.cancel();
  return { status: answer.status, text };
}

it('answers each with good words or a refusal, never with an error of its own', async () => {
  const router = apiRoutes(serving.app, { log: silent, practiceUrl: undefined });
  const routes = routesOf(router).filter((route) => !route.startsWith('GET /events'));
  expect(routes.length).toBeGreaterThan(80);
  const wrong: string[] = [];
  for (const route of routes) {
    const params = [...route.matchAll(/:(\w+)/g)].map(([all]) => all);
    await fc.assert(
      fc.asyncProperty(
        fc.array(ids(), { minLength: params.length, maxLength: params.length }),
        body(),
        fc.constantFrom(
          'application/json',
          'text/plain',
          'application/octet-stream',
          'multipart/form-data; boundary=x',
          '',
        ),
        fc.constantFrom<((json: string) => string) | undefined>(
          (json) => json,
          (json) => json.slice(1),
          () => '[]',
          undefined,
        ),
        async (given, fields, type, broken) => {
          let path = route;
          params.forEach((name, i) => (path = path.replace(name, encodeURIComponent(given[i]!))));
          const json = JSON.stringify(fields);
          const { status, text } = await call(path, type ? { 'content-type': type } : {}, broken?.(json));
          const refusals = [502, 503, 507];
          if ((status >= 500 && !refusals.includes(status)) || (status >= 400 && tellsPaths(text)))
            wrong.push(`${path} ${type} ${json.slice(0, 200)} → ${status} ${text.slice(0, 300)}`);
        },
      ),
      { numRuns: 8, seed: 15 },
    );
  }
  expect(wrong.slice(0, 5)).toEqual([]);
  expect((await call('GET /phones', {}, undefined)).status).toBe(200);
});
