// docs/api.md is held against the routes that the program has.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Router } from 'express';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openOn, silent, testFolder } from '../../testing/bench.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { apiRoutes } from './app.ts';

const folder = testFolder();
let app: KeenLarder;
beforeAll(async () => (app = await openOn(join(folder.path, 'home'), undefined)));
afterAll(async () => {
  await app.close();
  folder.remove();
});

/** `METHOD PATH` of every route below a router. */
const routesOf = ({ stack }: Router): string[] =>
  stack.flatMap((layer) => {
    if (layer.route)
      return layer.route.stack.map(({ method }) => `${method.toUpperCase()} ${layer.route!.path}`);
    const inner = layer.handle as Partial<Router>;
    return inner.stack ? routesOf(inner as Router) : [];
  });

it('names every route, and no other', () => {
  const router = apiRoutes(app, {
    log: silent,
    webFolder: '',
    practiceUrl: undefined,
  });
  const page = readFileSync(join(import.meta.dirname, '../../docs/api.md'), 'utf8');
  const told = [...page.matchAll(/^\| (GET|POST|PUT|PATCH|DELETE) +\| `([^`]+)`/gm)].map(
    ([, method, path]) => `${method} ${path}`,
  );
  expect(told.sort()).toEqual(routesOf(router).sort());
});
