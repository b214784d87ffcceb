import { openBrowser } from './e2e/browser.ts';
const browser = await openBrowser(); const page = await browser.newPage(); await page.setViewportSize({ width: 1280, height: 800 });
await page.goto('http://127.0.0.1:4191/larder/import/' + encodeURIComponent('from the customer.ab')); await page.waitForTimeout(6000);
await page.getByPlaceholder('Passphrase that it was made with').fill('Tide'); await page.getByRole('button', { name: 'Look into it' }).click(); await page.waitForTimeout(2500);
await page.screenshot({ path: '/tmp/p1.png' });
await page.getByPlaceholder('Passphrase that it was made with').fill('tide'); await page.getByRole('button', { name: 'Look into it' }).click(); await page.waitForTimeout(3500);
await page.screenshot({ path: '/tmp/p2.png' });
await browser.close(); process.exit(0);
