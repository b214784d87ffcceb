// Apps carried along: one archive made straight from the phone in the browser, the phone erased, the archive installed by its recovery alone, twice, as it asks
// for; the programs between by the bench. Judged by the bytes of the phone's own file system.
import { expect, it } from 'vitest';
import { serial } from '../testing/bench.ts';
import { appFilesOf, fileOn } from './app-files.ts';
import { openStory } from './story.ts';

const story = openStory();
const apps = ['Marshlog', 'Ringcode', 'Tidebook'];

/** Has the phone's recovery install a package, as from its memory card, and waits for what its screen says. */
async function installInRecovery(path: string, says: RegExp): Promise<void> {
  const { page } = story;
  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByRole('button', { name: 'Keys for recovery' }).click();
  await page.getByRole('button', { name: 'Install a package…' }).waitFor();
  await page.getByLabel('Package for recovery').setInputFiles(path);
  await page.getByText(says).waitFor({ timeout: 120_000 });
}

it('an archive brings apps back without the bench', { timeout: 300_000 }, async () => {
  const { page } = story;
  const tray = page.getByRole('complementary', { name: 'Tray' });
  const files = () => appFilesOf(story.phone, 'example.tidebook');
  const contacts = () => fileOn(story.phone, '/data/com.android.providers.contacts/databases/contacts2.db');
  const had = (await contacts())!;
  await story.go(`/bench/${serial}/records`);
  await page
    .locator('label.el-checkbox', { has: page.getByRole('checkbox', { name: 'Pick contacts' }) })
    .click();
  await tray.getByRole('button', { name: 'Keep 1 kind of records' }).click();
  await tray.getByText(/^One kind of records kept/).waitFor();
  await story.go(`/bench/${serial}/apps`);
  for (const app of apps) await page.getByLabel(`Pick ${app}`).check();
  await tray.getByRole('button', { name: 'Copy 3 apps' }).click();
  await tray.getByText(/^3 apps copied/).waitFor();
  const before = await files();
  await tray.getByRole('button', { name: 'Carry them along…' }).click();
  await tray.getByText('One archive for any Knot 3').waitFor();
  await tray.getByText(/^Contacts/).click();
  await tray.getByText('Records take the place of the phone’s own').waitFor();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    tray.getByRole('link', { name: 'Download the archive' }).click(),
  ]);
  const archive = await download.path();

  await page.getByRole('link', { name: 'Practice bench' }).click();
  await page.getByRole('button', { name: 'Erase all data' }).click();
  await story.go(`/bench/${serial}/apps`);
  await page.getByRole('button', { name: /only in the larder 3/ }).waitFor({ timeout: 60_000 });
  expect(await contacts()).toBeUndefined();

  // Recovery installs no programs: it leaves them, and says so.
  await installInRecovery(archive, /1 put back, 3 waiting for their programs, 0 not put back\./);
  await page.getByRole('button', { name: 'Keys for system' }).click();
  await story.go(`/bench/${serial}/apps`);
  await page.getByText(/^3 programs wait on this phone/).waitFor({ timeout: 60_000 });
  await page.getByRole('button', { name: 'Install…' }).click();
  await tray.getByRole('button', { name: 'Install 3 programs' }).click();
  await tray.getByText(/^3 programs are installed/).waitFor();
  await tray.getByRole('button', { name: 'Put aside' }).click();
  await page.getByRole('button', { name: /on both 3/ }).waitFor();
  expect(await page.getByText(/programs wait on this phone/).count()).toBe(0);

  await installInRecovery(archive, /4 put back, 0 waiting for their programs, 0 not put back\./);
  await page.getByRole('button', { name: 'Keys for system' }).click();
  await story.go(`/bench/${serial}/apps`);
  await page.getByRole('button', { name: /as kept 3/ }).waitFor({ timeout: 60_000 });

  const after = await files();
  const bytes = (of: typeof after) => new Map([...of].map(([path, each]) => [path, each.bytes]));
  expect(bytes(after)).toEqual(bytes(before));
  // The owner is the one that the app has now.
  const { uid, label } = [...after.values()][0]!;
  for (const each of after.values()) expect(each).toMatchObject({ uid, label });
  expect(label).toContain('app_data_file');
  // Contacts came with the archive alone, and belong to the provider that the phone has now.
  const has = (await contacts())!;
  expect([has.bytes, has.mode, has.label]).toEqual([had.bytes, had.mode, had.label]);
  expect(has.uid).not.toBe(had.uid);
});
