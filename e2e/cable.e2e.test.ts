// A cable that is pulled in the middle of an imaging run.
import { expect, it } from 'vitest';
import { serial } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const story = openStory();

it.runIf(isLong)(
  'waits when the cable is pulled, and goes on from where it was when it is back',
  async () => {
    const { page } = story;
    await story.intoRecovery();
    await page.getByRole('link', { name: 'Practice bench' }).click();
    await page.getByRole('button', { name: 'Pull it after 24 MiB more' }).click();
    await page.locator(`[data-serial="${serial}"]`).click();
    await page.locator('g.jar[data-partition="system"]').click();
    await page.getByRole('textbox', { name: 'Name of the set' }).fill('With the cable out');
    await page.locator('[data-check="identity-left-out"]').getByText('I understand').click();
    await page.getByRole('button', { name: 'Start imaging' }).click();
    const tray = page.getByRole('complementary', { name: 'Tray' });
    await tray.locator('[data-run][data-state="waiting"]').waitFor();
    await tray.getByText(/cable.*The run then goes on by itself/i).waitFor();
    await page.locator(`[data-serial="${serial}"]`).getByText('away', { exact: true }).waitFor();

    // Nothing half-done claims to be whole.
    await page.getByRole('link', { name: 'Larder', exact: true }).click();
    await page.getByText('Nothing is kept yet').waitFor();

    await page.getByRole('link', { name: 'Practice bench' }).click();
    await page.getByText('out', { exact: true }).click();
    await page.locator(`[data-serial="${serial}"]`).click();
    await tray.locator('[data-run][data-state="done"]').waitFor();
    await tray.getByText(/The phone computes the same digests/).waitFor();
    await page.getByRole('link', { name: 'Open the set' }).click();
    await page.getByRole('heading', { name: 'With the cable out' }).waitFor();
    expect(story.serving.app.larder.list()).toMatchObject([{ label: 'With the cable out', complete: true }]);
  },
);

it.runIf(isLong)(
  'names what a phone with worn flash did not give, and calls the set not complete',
  async () => {
    const { page } = story;
    await page.getByRole('link', { name: 'Practice bench' }).click();
    await page.getByRole('combobox', { name: 'Where the flash is bad' }).click();
    await page.getByRole('option', { name: 'in modem', exact: true }).click();
    await page.getByRole('button', { name: 'Weak pages' }).click();
    await page.locator(`[data-serial="${serial}"]`).click();
    await page.getByRole('button', { name: 'None' }).click();
    await page.locator('g.jar[data-partition="modem"]').click();
    await page.getByRole('textbox', { name: 'Name of the set' }).fill('Worn');
    await page.locator('[data-check="identity-left-out"]').getByText('I understand').click();
    await page.getByRole('button', { name: 'Start imaging' }).click();
    await page.locator('[data-run][data-state="incomplete"]').waitFor();
    await page.getByRole('link', { name: 'Open the set' }).click();
    await page
      .getByText(/Not complete: modem at .*did not come out of the phone the same way twice/)
      .waitFor();
    await page.getByRole('link', { name: 'Larder', exact: true }).first().click();
    await page.locator('article', { hasText: 'Worn' }).getByText('not complete').waitFor();
  },
);
