// What removed apps left, in the browser: found, kept and removed, and put back from the larder.
import { execFileSync } from 'node:child_process';
import { expect, it } from 'vitest';
import { putTwoDozenApps } from '@keen-larder/standin/scenario/two-dozen.ts';
import { serial } from '../testing/bench.ts';
import { openStory } from './story.ts';

const story = openStory();

it('leftovers are found, kept, removed, and put back', { timeout: 120_000 }, async () => {
  const { page } = story;
  await story.phone.changeUserData(putTwoDozenApps);
  await story.go(`/bench/${serial}/apps`);
  await page.getByText('Gull Radar').waitFor();
  await page.getByRole('link', { name: 'Leftovers…' }).click();
  await page.getByText('4 apps ·').waitFor();
  await page.getByLabel('Pick example.oldtides').first().click();
  const tray = page.getByRole('complementary', { name: 'Tray' });
  await tray.getByText('It can be undone').waitFor();
  await tray.getByRole('button', { name: 'Keep, then remove' }).click();
  await tray.getByText(/KiB of user data are free again/).waitFor();
  await page.getByText('3 apps ·').waitFor();
  await tray.getByRole('button', { name: 'Put aside' }).click();

  await page.getByRole('link', { name: 'Apps', exact: true }).first().click();
  await page.getByRole('button', { name: /only in the larder/ }).click();
  await page.getByLabel('Pick example.oldtides').check();
  await tray.getByRole('button', { name: /^Put back/ }).click();
  await tray.getByText(/One app is in place and proved/).waitFor();
  await story.go(`/bench/${serial}/apps/leftovers`);
  await page.getByText('4 apps ·').waitFor();
  expect(await page.getByRole('row', { name: /example\.oldtides/ }).textContent()).not.toMatch(/never/);
});

it(
  'copies are carried along: an archive that is whole, told and downloaded',
  { timeout: 120_000 },
  async () => {
    const { page } = story;
    const tray = page.getByRole('complementary', { name: 'Tray' });
    await story.go(`/bench/${serial}/apps`);
    for (const app of ['Gull Radar', 'Drift Mail']) await page.getByLabel(`Pick ${app}`).check();
    await tray.getByRole('button', { name: 'Copy 2 apps' }).click();
    await tray.getByText(/^2 apps copied/).waitFor();
    await story.go('/larder/copies');
    for (const app of ['Gull Radar', 'Drift Mail'])
      await page.getByLabel(`Pick ${app} of`, { exact: false }).check();
    await tray.getByText('One archive for any Knot 3').waitFor();
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      tray.getByRole('link', { name: 'Download the archive' }).click(),
    ]);
    expect(download.suggestedFilename()).toMatch(/^Apps for Knot 3 \d{4}-\d\d-\d\d\.zip$/);
    const path = await download.path();
    expect(execFileSync('unzip', ['-t', path], { encoding: 'utf8' })).toMatch(/No errors detected/);
    const plan = execFileSync('unzip', ['-p', path, 'carry/plan'], { encoding: 'utf8' });
    expect(plan).toMatch(/^app \d example\.gullradar 12 1 Gull Radar$/m);
  },
);
