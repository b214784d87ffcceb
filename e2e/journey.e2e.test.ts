// The main story, only through the interface: keep, break, put back.
import { expect, it } from 'vitest';
import { serial } from '../testing/bench.ts';
import { openStory } from './story.ts';

const story = openStory();

it('keeps boot and system, breaks the phone, and brings it back', async () => {
  const { page, phone } = story;
  await story.go('/');
  // All of the bench, then the phone, and a card for its visit.
  await page.getByText('Ringing hut was never kept').waitFor();
  await page.locator(`[data-serial="${serial}"]`).click();
  await page.getByRole('link', { name: 'open a job card' }).click();
  await page.getByRole('textbox', { name: 'Who' }).fill('Ringing hut');
  await page.getByRole('button', { name: 'Open the card' }).click();
  await page.getByRole('heading', { name: 'Job 1 · Ringing hut' }).waitFor();
  // Back to the phone that one was on.
  await page.getByRole('link', { name: 'Bench', exact: true }).click();
  await page.getByRole('link', { name: 'job card 1, received' }).waitFor();
  await page.getByRole('button', { name: 'Restart into recovery' }).first().click();
  await page.getByText('In recovery mode:').waitFor();

  // Picked on the map, seen in the table.
  for (const name of ['boot', 'system']) await page.locator(`g.jar[data-partition="${name}"]`).click();
  await page.getByText('2 of 22 picked').waitFor();
  expect(await page.getByRole('checkbox', { name: 'Pick system' }).isChecked()).toBe(true);
  await page.getByRole('textbox', { name: 'Name of the set' }).fill('Before the story');
  await page.locator('[data-check="identity-left-out"]').getByText('I understand').click();
  await page.getByRole('button', { name: 'Start imaging' }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();

  await page.getByRole('link', { name: 'Larder', exact: true }).click();
  await page.getByRole('link', { name: 'Before the story' }).waitFor();

  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByRole('button', { name: 'Half a firmware' }).click();
  await page.locator('[data-phase="looping"]').waitFor();
  await page.locator(`[data-serial="${serial}"]`).getByText('does not start').waitFor();
  await page.getByRole('button', { name: 'Keys for recovery' }).click();
  await page.locator(`[data-serial="${serial}"]`).getByText('recovery', { exact: true }).waitFor();

  // What is broken shows when the phone is compared with what was kept.
  await page.locator(`[data-serial="${serial}"]`).click();
  await page.getByRole('button', { name: 'None' }).click();
  await page.getByRole('button', { name: 'Compare', exact: true }).click();
  await page.getByText('boot and system changed since last kept; 0 as last kept.').waitFor();
  await page.getByRole('checkbox', { name: /^boot, .* changed since it was kept$/ }).waitFor();

  await page.getByRole('link', { name: 'Larder', exact: true }).click();
  await page.getByRole('link', { name: 'Before the story' }).click();
  await page.getByRole('button', { name: 'Boot and system' }).click();
  const restore = page.getByRole('button', { name: 'Restore 2 partitions' });
  await page.getByRole('textbox', { name: 'Last four characters of the serial' }).fill('0000');
  expect(await restore.isDisabled()).toBe(true);
  await page.getByRole('textbox', { name: 'Last four characters of the serial' }).fill(serial.slice(-4));
  await restore.click();
  await page.locator('[data-run][data-state="done"]').waitFor();
  await page
    .getByText(/every digest computed by the phone agrees.*It started after/)
    .first()
    .waitFor();
  expect(phone.state()).toMatchObject({
    phase: 'running',
    mode: 'system',
    build: 'TideOS 9 TW3.260301.004',
  });

  // The card has all of it by itself, and is found by typing.
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Go to, or do' }).fill('job ringing');
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Job 1 · Ringing hut' }).waitFor();
  await page.locator('button[aria-current=step]', { hasText: 'proved' }).waitFor();
  await page.getByRole('link', { name: 'Set “Before the story”' }).waitFor();
  // What goes with it: the report, and a label.
  const download = page.waitForEvent('download');
  await page.getByRole('link', { name: 'Hand-over report, A4' }).click();
  expect((await download).suggestedFilename()).toBe('Hand-over report job 1.pdf');
  await page.getByRole('link', { name: 'Label' }).click();
  await page.getByRole('img', { name: 'Opens Job 1 · Ringing hut' }).first().waitFor();
  await page.getByRole('link', { name: 'Job 1 · Ringing hut' }).click();
  await page.getByRole('button', { name: 'handed over' }).click();
  await page.locator('button[aria-current=step]', { hasText: 'handed over' }).waitFor();

  // And found again, with three presses of keys besides its name.
  await page.getByRole('link', { name: 'Larder', exact: true }).click();
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Go to, or do' }).fill('job 1');
  await page.keyboard.press('Enter');
  await page.locator('button[aria-current=step]', { hasText: 'handed over' }).waitFor();
  expect(new URL(page.url()).pathname).toMatch(/^\/jobs\//);
});
