// The main story, only through the interface: keep, break, put back.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { Serving } from '@keen-larder/server/serve.ts';
import { openBrowser } from './browser.ts';
import { serial, serveOn, startKnot3, testFolder } from './support/bench.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let serving: Serving;
let browser: Awaited<ReturnType<typeof openBrowser>>;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  serving = await serveOn(join(folder.path, 'larder'), bench);
  browser = await openBrowser();
  browser.setDefaultTimeout(90_000);
});
afterAll(async () => {
  await browser.end();
  await serving.close();
  await bench.close();
  folder.remove();
});

it('keeps boot and system, breaks the phone, and brings it back', async () => {
  const page = await browser.newPage();
  await page.goto(`${serving.url}/bench/${serial}`);
  await page.getByRole('heading', { name: 'Ringing hut' }).waitFor();
  await page.getByRole('button', { name: 'Restart into recovery' }).first().click();
  await page.getByText('In recovery mode this phone can be').waitFor();

  // Picked on the map, seen in the table.
  for (const name of ['boot', 'system']) await page.locator(`g.jar[data-partition="${name}"]`).click();
  await page.getByText('2 of 18 partitions picked').waitFor();
  expect(await page.getByRole('checkbox', { name: 'Pick system' }).isChecked()).toBe(true);
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('Before the story');
  await page.locator('[data-check="identity-left-out"]').getByText('I know; go on all the same').click();
  await page.getByRole('button', { name: 'Start imaging' }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();

  await page.getByRole('link', { name: 'Larder', exact: true }).click();
  await page.getByRole('link', { name: 'Before the story' }).waitFor();

  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByRole('button', { name: 'Half a firmware' }).click();
  await page.locator('[data-phase="looping"]').waitFor();
  await page.locator(`[data-serial="${serial}"]`).getByText('does not start').waitFor();
  await page.getByRole('button', { name: 'Hold Power and Volume up' }).click();
  await page.locator(`[data-serial="${serial}"]`).getByText('recovery', { exact: true }).waitFor();

  await page.getByRole('link', { name: 'Larder', exact: true }).click();
  await page.getByRole('link', { name: 'Before the story' }).click();
  await page.getByRole('button', { name: 'Boot and system' }).click();
  await page.getByRole('textbox', { name: 'Last four characters of the serial' }).fill(serial.slice(-4));
  await page.getByRole('button', { name: 'Restore 2 partitions' }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();
  await page
    .getByText(/every digest computed by the phone agrees.*started with the build it had/)
    .first()
    .waitFor();
  expect(bench.phone.state()).toMatchObject({
    phase: 'running',
    mode: 'system',
    build: 'TideOS 9 TW3.260301.004',
  });
  await page.close();
});
