/**
 * `npm run screenshots`: one picture of each main view, from the demo data, at 1280 by 800.
 * With `-- --url URL` a demo that runs already is used; with `--width N`, `--dark` and `--to DIR` other
 * pictures are taken for looking at.
 */
import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { parseArgs } from 'node:util';
import { gzipSync } from 'node:zlib';
import type { Page } from 'playwright-core';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { demoPassphrase } from '../demo/history.ts';
import { closeBrowser, openBrowser } from '../e2e/browser.ts';

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
  await overview(page);
  await apps(page);
  await records(page);
  await storage(page);
  await larder(page);
  await set(page);
  await comparing(page);
  await find(page);
  await firmware(page);
  await job(page);
  await offsite(page);
  await inside(page);
  await importing(page);
  await run(page);
  await practice(page);
  await connections(page);
  await rescue(page);
  await bootloader(page);
  await people(page);
} finally {
  await browser.close();
  await closeBrowser();
  await demo?.end();
}

async function shoot(name: string): Promise<void> {
  await page.evaluate(() => document.fonts.ready);
  // Whatever fades or slides has come to its end.
  await page.waitForTimeout(500);
  await page.screenshot({ path: join(values.to, `${name}${suffix}.png`) });
}

async function overview(at: Page): Promise<void> {
  await at.goto(`${url}/bench`);
  await at.getByText('Boat shed does not start').waitFor();
  await at.getByText(/Open job cards/).waitFor();
  await shoot('overview');
}

async function firmware(at: Page): Promise<void> {
  await at.goto(`${url}/larder/firmware`);
  await at.getByText(/on the bench:/).waitFor();
  await shoot('firmware');
}

async function job(at: Page): Promise<void> {
  await at.goto(`${url}/jobs`);
  await at
    .locator('main')
    .getByRole('link', { name: /Ringing hut/ })
    .click();
  await at.getByRole('heading', { name: /^Job \d+ · Ringing hut/ }).waitFor();
  await shoot('job');
}

async function apps(at: Page): Promise<void> {
  await at.goto(`${url}/bench/TW5K-20316/apps`);
  await at.getByRole('button', { name: /on both/ }).click();
  await at.locator('.name img').last().waitFor();
  for (const app of ['Tidebook', 'Harbour Chat'])
    await at.getByRole('checkbox', { name: `Pick ${app}` }).click();
  await at.getByText('Put back', { exact: true }).click();
  await at.getByText(/data is replaced/).waitFor();
  await shoot('apps');
}

async function records(at: Page): Promise<void> {
  await at.goto(`${url}/bench/TW5K-20316/records`);
  await at.getByRole('link', { name: 'contacts.vcf' }).waitFor();
  const box = at.getByRole('checkbox', { name: 'Pick contacts' });
  await at.locator('label.el-checkbox', { has: box }).click();
  await at.getByText('There is room on the shelf').waitFor();
  await shoot('records');
}

async function storage(at: Page): Promise<void> {
  await at.goto(`${url}/bench/${serial}`);
  const restart = at.getByRole('button', { name: 'Restart into recovery' }).first();
  await at
    .getByRole('button', { name: /^Restart into/ })
    .first()
    .waitFor();
  if (await restart.isVisible()) await restart.click();
  await at.getByText('In recovery mode:').waitFor({ timeout: 60_000 });
  await at.getByRole('button', { name: 'Before a flash' }).click();
  await at.getByRole('button', { name: 'Start imaging' }).waitFor();
  await at.getByText('to read').waitFor();
  await shoot('storage');
}

async function larder(at: Page): Promise<void> {
  await at.goto(`${url}/larder`);
  const card = at.locator('article.label', { hasText: 'after repair' });
  await card.locator('dl').click();
  await at.getByRole('button', { name: 'Boot and system' }).click();
  await at.getByText('112 MiB', { exact: true }).last().waitFor();
  await at.getByText('Same phone').waitFor();
  await at.evaluate(() => document.querySelector('#work')?.scrollTo(0, 0));
  await shoot('larder');
}

async function set(at: Page): Promise<void> {
  await at.goto(`${url}/larder`);
  await at.getByRole('link', { name: /Ringing hut .* as received/ }).click();
  await at.getByRole('table').first().waitFor();
  await shoot('set');
}

async function comparing(at: Page): Promise<void> {
  await at.goto(`${url}/larder`);
  await at.getByRole('link', { name: /Ringing hut .* before update/ }).click();
  await at.getByRole('combobox', { name: 'Compare with another set' }).click();
  await at.getByRole('option', { name: /after update/ }).click();
  await at.getByRole('table').getByRole('link', { name: 'boot', exact: true }).click();
  await at.getByText('patch level').waitFor();
  await shoot('comparing');
}

async function find(at: Page): Promise<void> {
  await at.goto(`${url}/larder/find?q=build.prop`);
  await at.getByRole('region', { name: 'Files within images' }).waitFor();
  await at.getByText(/^[1-9][\d,]* names of/).waitFor();
  await shoot('find');
}

async function offsite(at: Page): Promise<void> {
  await at.goto(`${url}/larder/off-site`);
  await at.getByRole('textbox', { name: /^Passphrase or recovery key/ }).fill(demoPassphrase);
  await at.getByRole('button', { name: 'Unlock' }).click();
  await at.getByText('sets and copies are in').waitFor();
  await at.getByRole('button', { name: 'Look into the copy' }).click();
  await at.getByText('Nothing that is not here as well.').waitFor();
  await shoot('off-site');
}

/** Two operators, and what they did; last, since from then on the bench asks who sits there. */
async function people(at: Page): Promise<void> {
  await at.goto(`${url}/people`);
  const add = async (name: string, passphrase: string, button: string) => {
    await at.getByRole('textbox', { name: 'Name' }).fill(name);
    await at.getByRole('textbox', { name: 'Passphrase' }).fill(passphrase);
    await at.getByRole('button', { name: button, exact: true }).click();
    await at.locator('.people').getByText(name).waitFor();
  };
  await add('Harbour office', 'samphire and sea lavender', 'Add and sign in');
  await add('Ringing hut bench', 'marram grass in the wind', 'Add');
  await at.getByText('none was changed').waitFor();
  await shoot('people');
}

async function inside(at: Page): Promise<void> {
  await at.goto(`${url}/larder`);
  await at.getByRole('link', { name: /after update/ }).click();
  await at.getByRole('link', { name: 'system', exact: true }).click();
  await at.getByText('build.prop').click();
  await at.getByText('ro.build.version.release=').first().waitFor();
  await shoot('inside');
}

/** Images that somebody brings along, as files: two of the demo's own, and one that is none. */
async function importing(at: Page): Promise<void> {
  const sets = (await (await fetch(`${url}/api/sets`)).json()) as SetView[];
  const { id } = sets.find(({ label }) => label.includes('Knot 3') && label.includes('as received'))!;
  const image = async (partition: string) =>
    Buffer.from(await (await fetch(`${url}/api/sets/${id}/images/${partition}/raw`)).arrayBuffer());
  const files = {
    'boot.img': await image('boot'),
    'efs.img.gz': gzipSync(await image('efs')),
    'modemst1.bin': await image('modemst1'),
    'hide list.bin': Buffer.alloc(9000, 'North hide, Monday. '),
  };
  const sums = Object.entries(files)
    .map(([name, bytes]) => `${createHash('sha256').update(bytes).digest('hex')} *${name}\n`)
    .join('');
  await at.goto(`${url}/larder/import`);
  await at.getByLabel('Files to import').setInputFiles(
    Object.entries({ ...files, SHA256SUMS: Buffer.from(sums) }).map(([name, buffer]) => ({
      name,
      mimeType: 'application/octet-stream',
      buffer,
    })),
  );
  await at.getByRole('checkbox', { name: 'Pick boot.img' }).waitFor({ state: 'attached' });
  await at.getByRole('combobox', { name: 'Phone of these files' }).click();
  await at.getByRole('option', { name: 'East wall · TW3K-10517' }).click();
  await at.getByText('Checksums came along').waitFor();
  // Where the pictures are taken is nobody's business.
  await at
    .locator('.folder code')
    .first()
    .evaluate((place) => (place.textContent = '~/.keen-larder-demo/larder/imports'));
  await shoot('import');
  await at.getByRole('button', { name: 'Discard this copy' }).click();
}

/** A hand at the practice bench. */
function act(of: string, body: object): Promise<Response> {
  return fetch(`${url}/api/practice/${of}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
}

/** A phone that does not start, from what is found to the proof that it is as it was. */
async function rescue(at: Page): Promise<void> {
  await act(serial, { do: 'break', build: 'half-firmware' });
  await at.goto(`${url}/bench/${serial}/rescue`);
  await at.locator(`[data-serial="${serial}"]`).getByText('does not start').waitFor({ timeout: 60_000 });
  await act(serial, { do: 'keys', into: 'recovery' });
  await at
    .locator('[data-busy="false"] [data-repair="boot-and-system"][data-smallest="true"]')
    .waitFor({ timeout: 60_000 });
  await at.getByText('Verified before the first write').waitFor();
  await shoot('rescue');
}

async function bootloader(at: Page): Promise<void> {
  await at.goto(`${url}/bench/TW5K-20316/bootloader`);
  await at.getByText('The boot chain verifies').waitFor();
  await shoot('bootloader');
}

/** One phone that another program has, among those that are well. */
async function connections(at: Page): Promise<void> {
  await act('TW3K-10517', { do: 'hold' });
  await at.goto(`${url}/connections`);
  await at.getByText('is held by another program', { exact: true }).waitFor();
  await shoot('connections');
  await act('TW3K-10517', { do: 'mend' });
}

async function run(at: Page): Promise<void> {
  await at.goto(`${url}/runs`);
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
