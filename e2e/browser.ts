import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, type BrowserContext } from 'playwright-core';

/** Debian's headless Chromium with an empty profile. */
export async function openBrowser(
  size = { width: 1280, height: 800 },
): Promise<BrowserContext & { end(): Promise<void> }> {
  const profile = mkdtempSync(join(tmpdir(), 'keen-larder-browser-'));
  const context = await chromium.launchPersistentContext(profile, {
    executablePath: '/usr/bin/chromium',
    headless: true,
    viewport: size,
    locale: 'en-GB',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
  const end = async () => {
    await context.close();
    rmSync(profile, { recursive: true, force: true });
  };
  return Object.assign(context, { end });
}
