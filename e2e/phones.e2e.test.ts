// What lies in an image of the shelf, and files that somebody chose.
import { beforeAll, expect, it } from 'vitest';
import { keepSet, serial } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const story = openStory();

beforeAll(async () => {
  await story.intoRecovery();
  await keepSet(story.serving.app, 'Knot beside it', ['system']);
});

it.runIf(isLong)('looks inside an image of the shelf: its table, its files, the text of one', async () => {
  const { page } = story;
  await page.getByRole('link', { name: 'Larder', exact: true }).click();
  await page.getByRole('link', { name: 'Knot beside it' }).click();
  await page.getByRole('link', { name: 'system', exact: true }).click();
  await page.getByText('ext4', { exact: false }).first().waitFor();
  await page.getByText('build.prop').click();
  await page.getByText('ro.build.version.release=9').first().waitFor();
  await page.getByRole('link', { name: 'Knot beside it' }).click();
  await page.getByRole('heading', { name: 'Knot beside it' }).waitFor();
});

it.runIf(isLong)('imports files that were chosen, digested on the way', async () => {
  const { page, serving } = story;
  await story.go('/larder');
  await page.getByRole('link', { name: /^import/i }).click();
  const bytes = Buffer.alloc(3_000_000, 'some bytes');
  await page.getByLabel('Files to import').setInputFiles([
    { name: 'recovery.img', mimeType: 'application/octet-stream', buffer: bytes },
    { name: 'odd name.bin', mimeType: 'application/octet-stream', buffer: Buffer.alloc(5000, 1) },
  ]);
  const table = page.getByRole('region', { name: /recovery\.img and 1 more/ });
  await table.getByRole('checkbox', { name: 'Pick recovery.img' }).waitFor({ state: 'attached' });
  expect(await table.getByRole('checkbox', { name: 'Pick recovery.img' }).isChecked()).toBe(true);
  await page.getByText('odd name.bin.', { exact: true }).waitFor();
  await page.getByRole('combobox', { name: 'Phone of these files' }).click();
  await page.getByRole('option', { name: `Ringing hut · ${serial}` }).click();
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('From files');
  await page.getByRole('button', { name: 'Keep as a set' }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();
  await page.getByRole('link', { name: 'Open the set' }).click();
  await page.getByText('imported from files').waitFor();
  const set = serving.app.larder.list().find(({ label }) => label === 'From files');
  expect(set).toMatchObject({ imported: true, imageCount: 1, bytes: bytes.length });
});
