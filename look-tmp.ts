import { openBrowser, closeBrowser } from '/work/main/e2e/browser.ts';
const [what, width = '1280', dark = ''] = process.argv.slice(2);
const url = 'http://127.0.0.1:4190';
const b = await openBrowser({ width: Number(width), height: 800 });
const page = b.pages()[0] ?? (await b.newPage());
await page.addInitScript((d) => localStorage.setItem('vueuse-color-scheme', d ? 'dark' : 'light'), Boolean(dark));
const steps: Record<string, () => Promise<void>> = {
  find: async () => { await page.goto(`${url}/larder/find?q=build`); await page.waitForTimeout(1500); },
  findsha: async () => { await page.goto(`${url}/larder/find?q=before`); await page.waitForTimeout(1500); },
  locked: async () => { await page.goto(`${url}/larder/off-site`); await page.waitForTimeout(1000); },
  open: async () => { await page.goto(`${url}/larder/off-site`); await page.waitForTimeout(800);
    const f = page.locator('input[aria-label="Passphrase or recovery key"]'); if (await f.count()) { await f.fill('quinces in the dark cellar'); await page.getByRole('button', { name: 'Unlock' }).click(); await page.waitForTimeout(2500); } },
  off: async () => { await page.goto(`${url}/larder/off-site`); await page.waitForTimeout(800); },
  past: async () => { await page.goto(`${url}/bench/TW3K-10482/past`); await page.waitForTimeout(1200); },
  erase: async () => { await page.goto(`${url}/bench/TW3K-10482/past`); await page.waitForTimeout(800); await page.getByRole('button', { name: /Erase everything/ }).click(); await page.waitForTimeout(800); await page.mouse.wheel(0, 3000); await page.locator('[aria-label="Erase"]').scrollIntoViewIfNeeded(); await page.waitForTimeout(300); },
  order: async () => { await page.goto(`${url}/larder/order`); await page.waitForTimeout(1000); },
  larder: async () => { await page.goto(`${url}/larder`); await page.waitForTimeout(1000); },
  set: async () => { await page.goto(`${url}/larder`); await page.waitForTimeout(800); await page.locator('h3 a').first().click(); await page.waitForTimeout(900); },
};
await steps[what!]!();
await page.screenshot({ path: `/tmp/look-${what}${dark ? '-dark' : ''}-${width}.png` });
await b.close(); await closeBrowser(); process.exit(0);
