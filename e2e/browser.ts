import { chromium, type Browser, type BrowserContext } from 'playwright-core';

let shared: Promise<Browser> | undefined;

/** Debian's headless Chromium, one for all stories of a process; it ends with it. */
const browser = (): Promise<Browser> =>
  (shared ??= chromium.launch({
    executablePath: '/usr/bin/chromium',
    headless: true,
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  }));

/** A window with an empty profile of its own. */
export async function openBrowser(size = { width: 1280, height: 800 }): Promise<BrowserContext> {
  return (await browser()).newContext({ viewport: size, locale: 'en-GB', reducedMotion: 'reduce' });
}

/** Ends the browser, for programs that go on without it. */
export async function closeBrowser(): Promise<void> {
  await (await shared)?.close();
  shared = undefined;
}
