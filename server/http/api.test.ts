// docs/api.md is held against the routes that the program has.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openOn, silent, testFolder } from '../../testing/bench.ts';
import { routesOf } from '../../testing/routes.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { apiRoutes } from './app.ts';

const folder = testFolder();
let app: KeenLarder;
beforeAll(async () => (app = await openOn(join(folder.path, 'home'), undefined)));
afterAll(async () => {
  await app.close();
  folder.remove();
});

it('names every route, and no other', () => {
  const router = apiRoutes(app, {
    log: silent,
    practiceUrl: undefined,
  });
  const page = readFileSync(join(import.meta.dirname, '../../docs/api.md'), 'utf8');
  const told = [...page.matchAll(/^\| (GET|POST|PUT|PATCH|DELETE) +\| `([^`]+)`/gm)].map(
    ([, method, path]) => `${method} ${path}`,
  );
  expect(told.sort()).toEqual(routesOf(router).sort());
});
