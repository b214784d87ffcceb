import hooks from 'node:async_hooks';
import type { Browser, BrowserContext } from 'playwright-core';

const { AsyncLocalStorage } = hooks;
// The library follows every call to name it in traces, which nobody takes here. From then on each promise of the process would
// cost a hook: those of phones and applications as well, which run in the same one.
hooks.AsyncLocalStorage = class<T> extends AsyncLocalStorage<T> {
  override getStore(): undefined {
    return undefined;
  }
  override run<R, Args extends unknown[]>(_store: T, work: (...args: Args) => R, ...args: Args): R {
    return work(...args);
  }
};
const { chromium } = await import('playwright-core');
hooks.AsyncLocalStorage = AsyncLocalStorage;

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
