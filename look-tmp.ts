import { openBrowser } from './e2e/browser.ts';
const browser = await openBrowser(); const page = await browser.newPage(); await page.setViewportSize({ width: 1280, height: 800 });
await page.goto('http://127.0.0.1:4191/bench/MS10-70055/apps'); await page.waitForTimeout(5000);
const box = (name: string) => page.getByRole('row').filter({ hasText: name }).locator('input[type=checkbox]');
await box('example.almanac').check(); await box('example.reedmessenger').check(); await page.waitForTimeout(2500);
await page.screenshot({ path: '/tmp/p1.png' });
await browser.close(); process.exit(0);
