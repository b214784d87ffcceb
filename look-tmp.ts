import { openBrowser, closeBrowser } from './e2e/browser.ts';
const url = 'http://127.0.0.1:4190';
for (const path of ['/', '/larder', '/phones/KN3-4471/storage']) {
  const c = await openBrowser();
  const page = await c.newPage();
  const cdp = await c.newCDPSession(page);
  await cdp.send('Network.enable');
  const urls = new Map<string, string>(); const sizes = new Map<string, number>();
  cdp.on('Network.responseReceived', (e: any) => urls.set(e.requestId, e.response.url));
  cdp.on('Network.loadingFinished', (e: any) => sizes.set(e.requestId, e.encodedDataLength));
  await page.goto(url + path); await page.waitForTimeout(2500);
  let js = 0, css = 0; const rows: [string, number][] = [];
  for (const [id, u] of urls) { const n = sizes.get(id) ?? 0; if (u.endsWith('.js')) { js += n; rows.push([u.split('/').pop()!, n]); } if (u.endsWith('.css')) css += n; }
  console.log(path, 'js KiB', (js / 1024).toFixed(1), 'css', (css / 1024).toFixed(1), page.url());
  const { gzipSync } = await import('node:zlib'); const { readFileSync } = await import('node:fs'); let g = 0; for (const [n] of rows) g += gzipSync(readFileSync('web/dist/assets/' + n), { level: 6 }).length; console.log('gz of script', (g / 1024).toFixed(1), rows.length, 'files'); if (process.argv[2]) console.log(rows.sort((a, b) => b[1] - a[1]).slice(0, 24).map(([n, k]) => `${n} ${k}`).join('\n'));
  await c.close();
}
await closeBrowser();
