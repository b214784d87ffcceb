import { join } from 'node:path';
import { afterAll, afterEach, beforeAll } from 'vitest';
import type { Page } from 'playwright-core';
import type { Serving } from '@keen-larder/server/serve.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { openBrowser } from './browser.ts';
import { quick, serial, serveOn, startKnot3, testFolder, until } from '../testing/bench.ts';

/** The application on an empty larder, one simulated phone, and a browser page that shows it. */
export interface Story {
  readonly page: Page;
  readonly phone: Phone;
  phoneOf(serial: string): Phone;
  readonly serving: Serving;
  readonly bench: PracticeBench;
  readonly url: string;
  /** Opens an address of the application. */
  go(path: string): Promise<void>;
  /** Brings the phone into recovery by its keys and waits until the page shows it. */
  intoRecovery(): Promise<void>;
}

/** What the browser complains of; a story that ends with any has failed. */
const complaints: string[] = [];

/**
 * Sets a story up for the tests of one file and clears it away afterwards.
 * @param others serials of simulated phones besides the usual one
 */
export function openStory(others: readonly string[] = []): Story {
  const folder = testFolder();
  let bench: PracticeBench & { phone: Phone };
  let serving: Serving;
  let browser: Awaited<ReturnType<typeof openBrowser>>;
  let page: Page;
  beforeAll(async () => {
    bench = await startKnot3(join(folder.path, 'phones'), others);
    serving = await serveOn(join(folder.path, 'larder'), bench, {
      // Hands in a browser are slow.
      retryPolicy: { ...quick.retryPolicy, awayMs: 90_000 },
    });
    browser = await openBrowser();
    browser.setDefaultTimeout(60_000);
    page = browser.pages()[0] ?? (await browser.newPage());
    page.on('pageerror', (error) => complaints.push(error.message));
    await until('the phone', () => bench.phone.state().phase === 'running');
  });
  // What stood on the page tells more than what was waited for in vain.
  afterEach(async ({ task }) => {
    if (task.result?.state !== 'fail') return;
    const words = await page.locator('body').innerText({ timeout: 5000 });
    process.stderr.write(`“${task.name}” failed at ${page.url()}:\n${words.slice(0, 4000)}\n`);
  });
  afterAll(async () => {
    await browser.close();
    await serving.close();
    await bench.close();
    folder.remove();
    if (complaints.length > 0) throw new Error(`The page complained: ${complaints.join('; ')}`);
  });
  const go = async (path: string) => void (await page.goto(`${serving.url}${path}`));
  return {
    get page() {
      return page;
    },
    get phone() {
      return bench.phone;
    },
    phoneOf: (wanted) => bench.phones.find(({ identity }) => identity.serial === wanted)!,
    get serving() {
      return serving;
    },
    get bench() {
      return bench;
    },
    get url() {
      return serving.url;
    },
    go,
    async intoRecovery() {
      if (bench.phone.state().mode !== 'recovery') void bench.phone.start('recovery');
      await go(`/bench/${serial}`);
      await page.getByText('In recovery mode:').waitFor();
    },
  };
}

/** What of a set is put back, and onto which phone. */
export interface PuttingBack {
  /** The button that picks it. */
  readonly what?: string;
  readonly partitions?: number;
  readonly onto?: string;
}

/** Puts boot and system of a set, or something else, back onto its phone, and waits for the proof. @param url of the application */
export async function putBack(
  page: Page,
  url: string,
  id: string,
  { what = 'Boot and system', partitions = 2, onto = serial }: PuttingBack = {},
): Promise<void> {
  await page.goto(`${url}/larder/sets/${id}`);
  await page.getByRole('button', { name: what, exact: true }).click();
  await page.getByRole('textbox', { name: 'Last four characters of the serial' }).fill(onto.slice(-4));
  const words = partitions === 1 ? 'Restore 1 partition' : `Restore ${partitions} partitions`;
  await page.getByRole('button', { name: words }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();
  await page
    .getByText(/every digest computed by the phone agrees/)
    .first()
    .waitFor();
}
