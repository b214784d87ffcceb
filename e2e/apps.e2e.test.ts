// The apps of a phone: listed, narrowed down without losing sight of what is hidden, and looked at one by one.
import { expect, it } from 'vitest';
import { serial } from '../testing/bench.ts';
import { openStory } from './story.ts';

const story = openStory([]);

it('finds an app among those of a running phone, and says what it may do', async () => {
  const { page } = story;
  await story.go(`/bench/${serial}`);
  await page.locator(`[data-serial="${serial}"]`).getByText('system', { exact: true }).waitFor();
  await page.getByRole('link', { name: 'Apps' }).click();
  await page.getByRole('button', { name: /Tidebook/ }).waitFor();
  await page.getByText(/8 apps · programs/).waitFor();

  await page.getByRole('button', { name: /by the user/ }).click();
  await page.getByText('5 hidden by search or facets').waitFor();
  await page.getByRole('textbox', { name: 'Search apps' }).fill('ring');
  await page.getByText('7 hidden by search or facets').waitFor();
  await page.getByRole('button', { name: /Ringcode/ }).focus();
  await page.keyboard.press('Enter');
  const tray = page.getByRole('complementary', { name: 'Tray' });
  await tray.getByRole('heading', { name: 'Tray · Ringcode' }).waitFor();
  await tray.getByText('arm64-v8a').waitFor();
  const files = tray.locator('li', { hasText: 'Files and pictures' });
  await files.getByText('not granted').first().waitFor();
  await files.locator('summary').click();
  await files.getByText('READ_EXTERNAL_STORAGE').waitFor();
  await tray.getByRole('button', { name: 'Look into its code' }).click();
  await tray.getByText('No known tracker among its 5 classes.').waitFor();

  await page.getByRole('button', { name: 'Show all' }).click();
  await page.getByText(/hidden by search/).waitFor({ state: 'detached' });
  // Its pictures came over the link: drawn, not broken.
  const widths = await page
    .locator('.name img')
    .evaluateAll((all) => all.map((each) => (each as HTMLImageElement).naturalWidth));
  expect(widths).toHaveLength(8);
  expect(new Set(widths)).toEqual(new Set([48]));
});

it('says where apps are to be had when recovery runs', async () => {
  const { page } = story;
  await story.intoRecovery();
  await page.getByRole('link', { name: 'Apps' }).click();
  await page.getByText('Ringing hut is not in system mode now', { exact: false }).waitFor();
  await page.getByRole('button', { name: 'Restart into system' }).click();
  await page.getByRole('button', { name: /Tidebook/ }).waitFor();
});
