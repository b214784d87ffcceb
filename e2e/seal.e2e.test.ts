// The larder is sealed, the program starts again, the larder is unlocked, and a set goes back onto the phone, proved.
import { join } from 'node:path';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { afterAll, expect, it } from 'vitest';
import { keepSet, quick, serveOn, testFolder, toRecovery } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory, putBack } from './story.ts';

const story = openStory();
const passphrase = 'medlars in the cold cellar';
const label = 'While it was well';

const folder = testFolder();
afterAll(() => folder.remove());
const start = () => serveOn(folder.path, story.bench, { retryPolicy: quick.retryPolicy });

/** Whether any file of the shelf says some words. */
function isSaid(shelf: string, words: string): boolean {
  return readdirSync(shelf, { recursive: true, encoding: 'utf8' })
    .map((name) => join(shelf, name))
    .some((path) => statSync(path).isFile() && readFileSync(path).includes(words));
}

// With `npm run kills`.
it.runIf(isLong)(
  'is sealed, locked after a start, unlocked, and put back from',
  { timeout: 240_000 },
  async () => {
    const { page } = story;
    const serving = await start();
    await toRecovery(serving.app, story.phone);
    await keepSet(serving.app, label, ['boot', 'system']);
    const { path } = serving.app.larder.shelf;
    expect(isSaid(path, label)).toBe(true);
    await page.goto(`${serving.url}/larder`);
    await page.getByRole('link', { name: 'Seal', exact: true }).click();
    for (const name of ['Passphrase', 'Passphrase once more'])
      await page.getByRole('textbox', { name, exact: true }).fill(passphrase);
    await page.getByRole('button', { name: 'Seal the larder' }).click();
    await page
      .getByRole('region', { name: 'Recovery key' })
      .getByText(/^([A-Z2-7]{4}-){6}[A-Z2-7]{4}$/)
      .waitFor();
    await page.getByRole('button', { name: 'It is on paper' }).click();
    await page.getByText('Everything on the shelf is sealed').waitFor();
    expect(isSaid(path, label)).toBe(false);

    await serving.close();
    const again = await start();
    try {
      await page.goto(`${again.url}/larder`);
      const bar = page.getByRole('alert').filter({ hasText: 'The larder is sealed' });
      const secret = bar.getByRole('textbox');
      await secret.fill('quinces');
      await bar.getByRole('button', { name: 'Unlock' }).click();
      await bar.getByText('This passphrase does not open it.').waitFor();
      await secret.fill(passphrase);
      await bar.getByRole('button', { name: 'Unlock' }).click();
      await bar.waitFor({ state: 'detached' });
      const [set] = again.app.larder.list();
      await putBack(page, again.url, set!.id);
    } finally {
      await again.close();
    }
  },
);
