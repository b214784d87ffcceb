// Other phones and other modes, several at once, a run held up, and what lies in an image.
import { expect, it } from 'vitest';
import { isLive } from '@keen-larder/contract/runs.ts';
import { serial, until } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const reed = 'MR2Q-44107';
const story = openStory([reed]);

it('images a phone in loader mode, early loader included, beside another one', async () => {
  const { page, serving } = story;
  await story.intoRecovery();
  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByRole('link', { name: new RegExp(reed) }).click();
  await page.locator(`[data-practice="${reed}"]`).getByRole('button', { name: 'Keys for loader' }).click();
  await page.locator(`[data-serial="${reed}"]`).getByText('loader', { exact: true }).waitFor();

  await page.locator(`[data-serial="${reed}"]`).click();
  await page.getByText('In loader mode this phone can be').waitFor();
  await page.getByRole('button', { name: 'Everything' }).click();
  await page.getByRole('checkbox', { name: 'Pick preloader' }).waitFor({ state: 'attached' });
  expect(await page.getByRole('checkbox', { name: 'Pick preloader' }).isChecked()).toBe(true);
  // All of them with the long campaigns; here the small ones are enough for what is to be seen.
  for (const name of isLong ? [] : ['system', 'userdata', 'cache'])
    await page.locator(`g.jar[data-partition="${name}"]`).click();
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('Reed in loader mode');
  await page.getByRole('button', { name: 'Start imaging' }).click();

  await page.locator(`[data-serial="${serial}"]`).click();
  for (const name of ['system', 'modem']) await page.locator(`g.jar[data-partition="${name}"]`).click();
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('Knot beside it');
  await page.locator('[data-check="identity-left-out"]').getByText('I know; go on all the same').click();
  await page.getByRole('button', { name: 'Start imaging' }).click();
  const tray = page.getByRole('complementary', { name: 'Tray' });
  await tray.getByRole('button', { name: 'Pause' }).click();
  await tray.locator('[data-run][data-state="paused"]').waitFor();
  await tray.getByRole('button', { name: 'Go on' }).click();
  await tray.locator('[data-run][data-state="done"]').waitFor();

  await until('the other run', () => serving.app.engine.list().every((run) => !isLive(run)));
  await page.getByRole('link', { name: 'Runs' }).click();
  await page.getByRole('link', { name: /Reed in loader mode/ }).click();
  await page
    .getByText(/The phone computes the same digests/)
    .first()
    .waitFor();
  const sets = serving.app.larder.list();
  expect(sets.map(({ label, complete, mode }) => [label, complete, mode]).sort()).toEqual([
    ['Knot beside it', true, 'recovery'],
    ['Reed in loader mode', true, 'loader'],
  ]);
  const [one, two] = sets.map(({ createdAt, elapsedMs }) => ({ from: createdAt, to: createdAt + elapsedMs }));
  expect(Math.max(one!.from, two!.from)).toBeLessThan(Math.min(one!.to, two!.to));
});

it('looks inside an image of the shelf: its table, its files, the text of one', async () => {
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

it('imports files that were chosen, digested on the way', async () => {
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
  await page.getByRole('combobox', { name: 'Of which phone' }).click();
  await page.getByRole('option', { name: `Ringing hut · ${serial}` }).click();
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('From files');
  await page.getByRole('button', { name: 'Keep as a set' }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();
  await page.getByRole('link', { name: 'Open the set' }).click();
  await page.getByText('imported from files').waitFor();
  const set = serving.app.larder.list().find(({ label }) => label === 'From files');
  expect(set).toMatchObject({ imported: true, imageCount: 1, bytes: bytes.length });
});
