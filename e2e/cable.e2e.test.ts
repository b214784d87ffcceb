// A cable that is pulled in the middle of an imaging run.
import { expect, it } from 'vitest';
import { serial } from './support/bench.ts';
import { openStory } from './support/story.ts';

const story = openStory();

it('says so when the cable is pulled, keeps nothing by halves, and images again afterwards', async () => {
  const { page } = story;
  await story.intoRecovery();
  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByRole('button', { name: 'Pull it after 24 MiB more' }).click();
  await page.locator(`[data-serial="${serial}"]`).click();
  await page.locator('g.jar[data-partition="system"]').click();
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('With the cable out');
  await page.locator('[data-check="identity-left-out"]').getByText('I know; go on all the same').click();
  await page.getByRole('button', { name: 'Start imaging' }).click();
  const tray = page.getByRole('complementary', { name: 'Tray' });
  await tray.locator('[data-run][data-state="failed"]').waitFor();
  await tray.getByText(/Check the cable.*Nothing of this run is in the larder/).waitFor();
  await page.locator(`[data-serial="${serial}"]`).getByText('away', { exact: true }).waitFor();

  await page.getByRole('link', { name: 'Larder', exact: true }).click();
  await page.getByText('Nothing is kept yet').waitFor();

  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByText('out', { exact: true }).click();
  await page.locator(`[data-serial="${serial}"]`).getByText('recovery', { exact: true }).waitFor();
  await page.locator(`[data-serial="${serial}"]`).click();
  await page.getByRole('button', { name: 'None' }).click();
  await page.locator('g.jar[data-partition="efs"]').click();
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('With the cable in');
  await page.locator('[data-check="identity-left-out"]').getByText('I know; go on all the same').click();
  await page.getByRole('button', { name: 'Start imaging' }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();
  await page.getByRole('link', { name: 'Open the set' }).click();
  await page.getByRole('heading', { name: 'With the cable in' }).waitFor();
  expect(story.serving.app.larder.list().map(({ label }) => label)).toEqual(['With the cable in']);
});
