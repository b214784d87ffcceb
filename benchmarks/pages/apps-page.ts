import type { Page } from 'playwright-core';
import { closeBrowser, openBrowser } from '../../e2e/browser.ts';

/** Times of the Apps page in milliseconds, as the page itself measures them. */
export interface AppsPageTimes {
  /** From the last byte of the list until a click on its first row has filled the tray. */
  readonly interactive: number;
  /** From a typed letter until the list shows what is left. */
  readonly filter: number;
  /** From a click on a facet until then. */
  readonly facet: number;
}

declare global {
  interface Window {
    /** What the page was seen to do. */
    measured: Measured;
  }
}

interface Measured {
  arrivedAt?: number;
  shownAt?: number;
}

/** Watches the list arrive and clicks on its first row as soon as there is one. */
function watchList(): void {
  const measured: Measured = {};
  window.measured = measured;
  const ask = window.fetch;
  window.fetch = async (...given) => {
    const answer = await ask(...given);
    if (!/\/phones\/[^/]+\/apps$/.test(answer.url)) return answer;
    const text = await answer.text();
    measured.arrivedAt = performance.now();
    return new Response(text, answer);
  };
  new MutationObserver(() => {
    if (measured.shownAt !== undefined) return;
    if (document.querySelector('.tray .facts')) measured.shownAt = performance.now();
    else document.querySelector<HTMLElement>('.box button.name')?.click();
  }).observe(document, { childList: true, subtree: true });
}

/** Nobody types before what was clicked has come to rest. */
const restMs = 500;

/** Does something to the page at rest and measures until its sum has been painted anew. */
async function untilPainted(page: Page, work: 'type' | 'facet'): Promise<number> {
  await page.waitForTimeout(restMs);
  return page.evaluate(async (what) => {
    const sum = document.querySelector('.sum')!;
    const isChanged = new Promise((go) =>
      new MutationObserver(go).observe(sum, { childList: true, characterData: true, subtree: true }),
    );
    const beganAt = performance.now();
    if (what === 'type') {
      const field = document.querySelector<HTMLInputElement>('input[aria-label="Search apps"]')!;
      field.value = '77';
      field.dispatchEvent(new Event('input', { bubbles: true }));
    } else {
      const facets = [...document.querySelectorAll<HTMLElement>('.choice')];
      facets.find((each) => each.textContent.includes('pre-installed'))!.click();
    }
    await isChanged;
    // What is asked for within a frame is done when that frame has been painted.
    await new Promise((go) => requestAnimationFrame(() => setTimeout(go)));
    return performance.now() - beganAt;
  }, work);
}

/** Opens the Apps page of a phone whose apps were listed before, in Debian's Chromium at 1280 by 800. */
export async function measureAppsPage(url: string, serial: string): Promise<AppsPageTimes> {
  const browser = await openBrowser();
  try {
    const page = await browser.newPage();
    await page.addInitScript(watchList);
    await page.goto(`${url}/bench/${serial}/apps`);
    await page.waitForFunction(() => window.measured.shownAt !== undefined);
    const { arrivedAt, shownAt } = await page.evaluate(() => window.measured);
    const facet = await untilPainted(page, 'facet');
    await page.getByRole('button', { name: 'Show all' }).click();
    return { interactive: shownAt! - arrivedAt!, facet, filter: await untilPainted(page, 'type') };
  } finally {
    await browser.close();
    await closeBrowser();
  }
}
