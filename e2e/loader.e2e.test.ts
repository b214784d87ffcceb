// A phone in loader mode and another one, both imaged at once.
import { expect, it } from 'vitest';
import { isLive } from '@keen-larder/contract/runs.ts';
import { serial, until } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const reed = 'MR2Q-44107';
const story = openStory([reed]);

it.runIf(isLong)('images a phone in loader mode, early loader included, beside another one', async () => {
  const { page, serving } = story;
  await story.intoRecovery();
  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByRole('link', { name: new RegExp(reed) }).click();
  await page.locator(`[data-practice="${reed}"]`).getByRole('button', { name: 'Keys for loader' }).click();
  await page.locator(`[data-serial="${reed}"]`).getByText('loader', { exact: true }).waitFor();

  await page.locator(`[data-serial="${reed}"]`).click();
  await page.getByText('In loader mode:').waitFor();
  await page.getByRole('button', { name: 'Everything' }).click();
  await page.getByRole('checkbox', { name: 'Pick preloader' }).waitFor({ state: 'attached' });
  expect(await page.getByRole('checkbox', { name: 'Pick preloader' }).isChecked()).toBe(true);
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('Reed in loader mode');
  await page.getByRole('button', { name: 'Start imaging' }).click();

  await page.locator(`[data-serial="${serial}"]`).click();
  for (const name of ['system', 'modem']) await page.locator(`g.jar[data-partition="${name}"]`).click();
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('Knot beside it');
  await page.locator('[data-check="identity-left-out"]').getByText('I understand').click();
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
