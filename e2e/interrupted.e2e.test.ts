// A program that was killed in the middle of a run: what its next start says.
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openDatabase } from '@keen-larder/server/database/open.ts';
import { runStatements } from '@keen-larder/server/database/runs.ts';
import type { Serving } from '@keen-larder/server/serve.ts';
import { openBrowser } from './browser.ts';
import { serveAlone, testFolder } from '../testing/bench.ts';

const folder = testFolder();
let serving: Serving;
let browser: Awaited<ReturnType<typeof openBrowser>>;

beforeAll(async () => {
  const home = join(folder.path, 'larder');
  mkdirSync(home);
  const database = openDatabase(join(home, 'catalogue.sqlite'));
  // What a run under way leaves in the catalogue (server/kill.test.ts kills a real one).
  runStatements(database).save({
    id: 'killed',
    kind: 'imaging',
    title: 'Keep 2 images of Ringing hut: before the crash',
    serial: null,
    operator: null,
    mode: 'recovery',
    link: null,
    idleMs: 0,
    setId: null,
    state: 'running',
    startedAt: Date.now() - 60_000,
    endedAt: null,
    doneBytes: 5,
    carriedBytes: 5,
    outcome: null,
    detail: JSON.stringify({
      steps: [{ text: 'Read system', partition: 'system', bytes: 10, doneBytes: 5, state: 'running' }],
      speeds: [],
    }),
  });
  database.close();
  serving = await serveAlone(home);
  browser = await openBrowser();
});
afterAll(async () => {
  await browser.close();
  await serving.close();
  folder.remove();
});

it('says what was interrupted and what follows, once', async () => {
  const page = await browser.newPage();
  await page.goto(`${serving.url}/bench`);
  const notice = page.getByRole('alert');
  await notice.getByText(/before the crash.*ended in the middle of this run at “Read system”/).waitFor();
  await notice.getByText(/Nothing of it is in the larder. Start it again/).waitFor();
  await page.goto(`${serving.url}/runs`);
  await page.getByText('interrupted', { exact: true }).waitFor();
  expect(await page.getByRole('alert').count()).toBe(0);
});
