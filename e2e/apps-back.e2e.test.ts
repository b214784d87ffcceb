// Apps through the interface alone: all of a phone's copied, the phone erased, all put back in one batch, and one
// whose progress was lost put back as data alone; judged by the bytes of the phone's own file system.
import { expect, it } from 'vitest';
import { serial } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { appFilesOf } from './app-files.ts';
import { openStory } from './story.ts';

const story = openStory([]);
const notebooks = ['Marshlog', 'Ringcode', 'Tidebook'];

const dataOf = (name: string) => appFilesOf(story.phone, name);

/** Does something to the phone on the practice bench, and comes back to its apps. */
async function practise(button: string): Promise<void> {
  const { page } = story;
  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByRole('button', { name: button }).click();
  await page.getByRole('link', { name: 'Bench', exact: true }).click();
  await page.locator(`[data-serial="${serial}"]`).click();
  await page.getByRole('link', { name: 'Apps' }).click();
}

/** Ticks a box of the list. */
const pick = (name: string) => story.page.getByRole('checkbox', { name }).click();

const bytesOf = (files: Awaited<ReturnType<typeof dataOf>>) =>
  new Map([...files].map(([path, { bytes }]) => [path, bytes]));

it.runIf(isLong)(
  'copies all apps of the owner, and puts them back onto the erased phone in one batch',
  { timeout: 240_000 },
  async () => {
    const { page } = story;
    await story.go(`/bench/${serial}`);
    await page.locator(`[data-serial="${serial}"]`).getByText('system', { exact: true }).waitFor();
    await page.getByRole('link', { name: 'Apps' }).click();
    await page.getByRole('button', { name: /by the user/ }).click();
    await page.getByText('5 hidden by search or facets').waitFor();
    const before = await dataOf('example.tidebook');
    const tray = page.getByRole('complementary', { name: 'Tray' });

    await pick('Pick all that are shown');
    await tray.getByText('1 app is stopped first').or(tray.getByText('One app is stopped first')).waitFor();
    await tray.getByRole('button', { name: 'Copy 3 apps' }).click();
    await tray.getByText(/^3 apps copied/).waitFor();
    await tray.getByRole('button', { name: 'Put aside' }).click();
    await page.getByRole('button', { name: /as kept 3/ }).waitFor();

    await practise('Erase all data');
    await page.getByRole('button', { name: /only in the larder 3/ }).waitFor({ timeout: 60_000 });
    await page.getByRole('button', { name: /only in the larder/ }).click();
    await pick('Pick all that are shown');
    await tray.getByText('Put back', { exact: true }).click();
    await tray.getByRole('button', { name: 'Put back 3 apps' }).click();
    await tray.getByText(/^3 apps are in place and proved/).waitFor({ timeout: 120_000 });
    await tray.getByRole('button', { name: 'Put aside' }).click();
    await page.getByRole('button', { name: /on both 3/ }).waitFor();

    const after = await dataOf('example.tidebook');
    expect(bytesOf(after)).toEqual(bytesOf(before));
    const uids = new Set([...after.values()].map(({ uid }) => uid));
    expect(uids.size).toBe(1);
    const [uid] = [...uids] as [number];
    expect([...before.values()][0]!.uid).not.toBe(uid);
    for (const { label } of after.values())
      expect(label).toBe(
        `u:object_r:app_data_file:s0:c${(uid - 10_000) & 0xff},c${256 + ((uid - 10_000) >> 8)},c512,c768\0`,
      );
    // The grants are those of before: every permission but the last.
    await page.getByText('facets taken off: they hid every app').waitFor();
    await page.getByRole('button', { name: /Tidebook/ }).click();
    await tray.locator('li', { hasText: 'CAMERA' }).getByText('granted', { exact: true }).first().waitFor();
    expect(notebooks).toHaveLength(3);
  },
);

it.runIf(isLong)(
  'puts back the data alone of an app whose progress was lost',
  { timeout: 240_000 },
  async () => {
    const { page } = story;
    const tray = page.getByRole('complementary', { name: 'Tray' });
    const kept = bytesOf(await dataOf('example.tidebook'));
    await practise('A week');
    expect(bytesOf(await dataOf('example.tidebook'))).not.toEqual(kept);
    await page.getByRole('button', { name: 'Read again' }).click();
    await page.getByRole('button', { name: /changed since 2/ }).waitFor();
    await pick('Pick Tidebook');
    await tray.getByText('Put back', { exact: true }).click();
    await tray.getByText('Data', { exact: true }).click();
    await tray.getByText('One app’s data is replaced').waitFor();
    const go = tray.getByRole('button', { name: 'Put back 1 app' });
    expect(await go.isDisabled()).toBe(true);
    await tray.getByRole('textbox', { name: 'Last four characters of the serial' }).fill(serial.slice(-4));
    await go.click();
    await tray.getByText(/^One app is in place and proved/).waitFor({ timeout: 60_000 });
    expect(bytesOf(await dataOf('example.tidebook'))).toEqual(kept);
  },
);
