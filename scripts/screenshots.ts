/**
 * `npm run screenshots`: one picture of each main view, from the demo data, at 1280 by 800.
 * With `-- --url URL` a demo that runs already is used; with `--width N`, `--dark` and `--to DIR` other
 * pictures are taken for looking at.
 */
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { parseArgs } from 'node:util';
import type { Page } from 'playwright-core';
import { openBrowser } from '../e2e/browser.ts';

const { values } = parseArgs({
  options: {
    url: { type: 'string' },
    width: { type: 'string', default: '1280' },
    dark: { type: 'boolean', default: false },
    to: { type: 'string', default: join(import.meta.dirname, '..', 'docs', 'screenshots') },
  },
});

const serial = 'TW3K-10482';
const suffix = `${values.dark ? '-dark' : ''}${values.width === '1280' ? '' : `-${values.width}`}`;
const demo = values.url ? undefined : await startDemo();
const url = values.url ?? demo!.url;
mkdirSync(values.to, { recursive: true });
const browser = await openBrowser({ width: Number(values.width), height: 800 });
const page = browser.pages()[0] ?? (await browser.newPage());
await page.addInitScript((dark) => {
  localStorage.setItem('vueuse-color-scheme', dark ? 'dark' : 'light');
}, values.dark);

try {
  await storage(page);
  await larder(page);
  await set(page);
  await run(page);
  await practice(page);
} finally {
  await browser.end();
  await demo?.end();
}

async function shoot(name: string): Promise<void> {
  await page.evaluate(() => document.fonts.ready);
  await page.screenshot({ path: join(values.to, `${name}${suffix}.png`) });
}

async function storage(at: Page): Promise<void> {
  await at.goto(`${url}/bench/${serial}`);
  const restart = at.getByRole('button', { name: 'Restart into recovery' }).first();
  await at
    .getByRole('button', { name: /^Restart into/ })
    .first()
    .waitFor();
  if (await restart.isVisible()) await restart.click();
  await at.getByText('In recovery mode this phone can be').waitFor({ timeout: 60_000 });
  await at.getByRole('button', { name: 'Before a flash' }).click();
  await at.getByRole('button', { name: 'Start imaging' }).waitFor();
  await at.getByText('to read').waitFor();
  await shoot('storage');
}

async function larder(at: Page): Promise<void> {
  await at.goto(`${url}/larder`);
  const card = at.locator('article.label', { hasText: 'after update' });
  await card.locator('dl').click();
  await at.getByRole('button', { name: 'Boot and system' }).click();
  await at.getByText('544 MiB', { exact: true }).last().waitFor();
  await at.getByText('Same phone').waitFor();
  await shoot('larder');
}

async function set(at: Page): Promise<void> {
  await at.goto(`${url}/larder`);
  await at.getByRole('link', { name: /as received/ }).click();
  await at.getByRole('table').first().waitFor();
  await shoot('set');
}

async function run(at: Page): Promise<void> {
  await at.goto(`${url}/runs`);
  await at
    .getByRole('link', { name: /after update/ })
    .first()
    .waitFor();
  await shoot('runs');
  await at
    .getByRole('link', { name: /Keep .*after update/ })
    .first()
    .click();
  await at.getByText('Log', { exact: true }).waitFor();
  await shoot('run');
}

async function practice(at: Page): Promise<void> {
  await at.goto(`${url}/practice`);
  await at.getByText('Flash a broken build').waitFor();
  await shoot('practice');
}

/** A demo of its own in a folder that is gone afterwards. */
async function startDemo(): Promise<{ url: string; end(): Promise<void> }> {
  const home = mkdtempSync(join(tmpdir(), 'keen-larder-screenshots-'));
  const child = spawn(
    process.execPath,
    [
      '--import',
      'tsx',
      join(import.meta.dirname, '..', 'demo', 'main.ts'),
      '--home',
      home,
      '--port',
      '0',
      '--fast',
    ],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  );
  const ready = await new Promise<string>((resolve, reject) => {
    child.once('exit', () => reject(new Error('the demo did not start')));
    createInterface({ input: child.stdout }).on('line', (line) => {
      const match = /ready at (\S+)/.exec(line);
      if (match) resolve(match[1]!);
    });
  });
  return {
    url: ready,
    async end() {
      child.removeAllListeners('exit');
      const gone = new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGTERM');
      await gone;
      rmSync(home, { recursive: true, force: true });
    },
  };
}
