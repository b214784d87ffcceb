// Copies of apps in the larder through the interface alone: noted, verified, handed out as a file and taken in again;
// and the list of trackers that is looked for in their code.
import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { serial } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const story = openStory([]);
const copied = 'example.tidebook';

// With `npm run kills`.
it.runIf(isLong)(
  'takes an exported copy in again, notes and verifies copies',
  { timeout: 180_000 },
  async () => {
    const { page } = story;
    const tray = page.getByRole('complementary', { name: 'Tray' });
    const pick = (name: RegExp | string, at = 0) => page.getByRole('checkbox', { name }).nth(at).click();
    await story.go(`/bench/${serial}`);
    await page.locator(`[data-serial="${serial}"]`).getByText('system', { exact: true }).waitFor();
    await page.getByRole('link', { name: 'Apps', exact: true }).click();
    await page.getByRole('button', { name: /Tidebook/ }).waitFor();
    await pick('Pick Tidebook');
    await tray.getByRole('button', { name: /^Copy one app|^Copy 1 app/ }).click();
    await tray.getByText(/^One app copied/).waitFor();
    await tray.getByRole('button', { name: 'Put aside' }).click();

    await page.getByRole('link', { name: 'Larder', exact: true }).click();
    await page.getByRole('link', { name: 'Copies of apps and records' }).click();
    await page.getByText('1 copy ·').waitFor();
    await page.getByRole('button', { name: /Tidebook/ }).click();
    const note = tray.getByRole('textbox', { name: 'Note' });
    await note.fill('before the new board');
    await note.blur();
    await page.locator('.box').getByText('before the new board').waitFor();

    const download = page.waitForEvent('download');
    await tray.getByRole('link', { name: 'Export as an archive' }).click();
    const file = await (await download).path();

    await page.getByRole('link', { name: 'Import…' }).click();
    await page
      .locator('input[type=file]')
      .first()
      .setInputFiles({
        name: 'tidebook.tar',
        mimeType: 'application/x-tar',
        buffer: readFileSync(file),
      });
    await page.getByText('a copy of an app', { exact: false }).first().waitFor();
    await page.getByRole('cell', { name: /Tidebook/ }).waitFor();
    await tray.getByText('Checksums came along').waitFor();
    await tray.getByRole('button', { name: 'Keep 1 copy' }).click();
    await tray.getByText(/^One copy, .*The copy made for it is removed/).waitFor();
    await tray.getByRole('button', { name: 'Put aside' }).click();

    const copies = story.serving.app.larder.copies.list();
    expect(copies.map(({ app, origin }) => [app.package, origin]).sort()).toEqual([
      [copied, 'imported'],
      [copied, 'phone'],
    ]);
    expect(copies[0]!.parts).toEqual(copies[1]!.parts);

    await story.go('/larder/copies');
    await page.getByText('2 copies ·').waitFor();
    await page.locator('.box').getByText('imported').waitFor();
    await pick('Pick all that are shown');
    await page.getByRole('button', { name: 'Verify' }).click();
    await tray.getByText('All 2 copies are as they were kept.').waitFor();
    await tray.getByRole('button', { name: 'Put aside' }).click();
    await pick(/^Pick Tidebook/, 1);
    await page.getByRole('button', { name: 'Put into the bin' }).click();
    await page.getByText('1 copy ·').waitFor();
    await page.getByRole('button', { name: 'Take back' }).click();
    await page.getByText('2 copies ·').waitFor();
  },
);

it.runIf(isLong)('looks for the trackers that its list tells of', { timeout: 120_000 }, async () => {
  const { page } = story;
  const tray = page.getByRole('complementary', { name: 'Tray' });
  await page
    .getByRole('button', { name: /Tidebook/ })
    .first()
    .click();
  await tray.getByRole('button', { name: 'Look into its code' }).click();
  await tray.getByText('Wrackline').waitFor();
  await tray.getByText('2 classes').waitFor();
  await tray.getByRole('button', { name: 'Known trackers…' }).click();
  const list = page.getByRole('dialog', { name: 'Known trackers' });
  await list.getByRole('button', { name: 'Remove Wrackline' }).click();
  await list.getByRole('button', { name: 'Add one' }).click();
  await list.getByRole('textbox', { name: 'Name of tracker 4' }).fill('Notebook');
  await list.getByRole('textbox', { name: 'Class names of Notebook begin with' }).fill('example.tide book!');
  await list.getByRole('button', { name: 'Keep the list' }).click();
  await list
    .getByRole('alert')
    .getByText(/must be words with dots between/)
    .waitFor();
  await list
    .getByRole('textbox', { name: 'Class names of Notebook begin with' })
    .fill('example.tidebook.Notebook\nexample.tidebook.Main');
  await list.getByRole('button', { name: 'Keep the list' }).click();
  await list.waitFor({ state: 'detached' });
  await tray.getByText('Wrackline').waitFor({ state: 'detached' });
  await tray.locator('li', { hasText: 'Notebook' }).getByText('2 classes').waitFor();
});
