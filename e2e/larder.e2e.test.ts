// The larder as a technician keeps it in order: names, notes, filters, the bin, files out of it.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, expect, it } from 'vitest';
import { keepSet, testFolder } from '../testing/bench.ts';
import { openStory } from './story.ts';

const story = openStory();
const folder = testFolder();

beforeAll(async () => {
  await story.intoRecovery();
  const { app } = story.serving;
  await keepSet(app, 'Stock, before the update', ['boot', 'efs']);
  await keepSet(app, 'Logo only', ['logo']);
});

it('filters in the open, and says what it hides', async () => {
  const { page } = story;
  await story.go('/larder');
  await page.getByRole('link', { name: 'Logo only' }).waitFor();
  await page.keyboard.press('/');
  await page.keyboard.type('stock upd');
  await page.getByText('1 of 2: 1 hidden by the filter').waitFor();
  expect(await page.getByRole('link', { name: 'Logo only' }).count()).toBe(0);
  await page.getByRole('textbox', { name: 'Filter the sets' }).fill('nothing like it');
  await page.getByText('No set matches the filter').waitFor();
  await page.getByText('Show all 2').click();
  await page.getByRole('link', { name: 'Logo only' }).waitFor();
});

it('renames a set and keeps a note, also after a reload', async () => {
  const { page } = story;
  await page.getByRole('link', { name: 'Logo only' }).click();
  await page.getByRole('button', { name: 'Rename: name of the set' }).click();
  await page.getByRole('textbox', { name: 'name of the set' }).fill('Stock, before the update');
  await page.keyboard.press('Enter');
  await page.getByText('Another set of Ringing hut is called “Stock, before the update”').waitFor();
  await page.getByRole('button', { name: 'Put this notice aside' }).click();
  await page.getByRole('button', { name: 'Rename: name of the set' }).click();
  await page.getByRole('textbox', { name: 'name of the set' }).fill('The logo, for the record');
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'The logo, for the record' }).waitFor();
  await page.getByPlaceholder('What one should know about it').fill('a dunlin in flight');
  await page.getByRole('heading', { name: 'The logo, for the record' }).click();
  await expect
    .poll(() => story.serving.app.larder.list().find(({ label }) => label.startsWith('The logo'))?.note)
    .toBe('a dunlin in flight');
  await page.reload();
  await page.getByRole('heading', { name: 'The logo, for the record' }).waitFor();
  await expect
    .poll(() => page.getByPlaceholder('What one should know about it').inputValue())
    .toBe('a dunlin in flight');
});

it('puts a set into the bin and takes it back', async () => {
  const { page } = story;
  await page.getByRole('button', { name: 'Delete' }).click();
  await page.getByText('In the bin for a day').waitFor();
  await page.getByRole('button', { name: 'Take it back' }).click();
  await page.getByRole('link', { name: 'The logo, for the record' }).waitFor();

  await page.getByRole('link', { name: 'The logo, for the record' }).click();
  await page.getByRole('button', { name: 'Delete' }).click();
  await page.getByRole('button', { name: 'Bin (1)' }).click();
  await page.getByRole('button', { name: 'Empty the bin now' }).click();
  await page.getByRole('link', { name: 'Stock, before the update' }).waitFor();
  await expect.poll(() => story.serving.app.larder.list().length).toBe(1);
});

it('verifies a set, and hands out its files with sums that the ordinary tools accept', async () => {
  const { page } = story;
  await page.getByRole('link', { name: 'Stock, before the update' }).click();
  await page.getByRole('button', { name: 'Verify' }).click();
  const tray = page.getByRole('complementary', { name: 'Tray' });
  await tray.getByText('All 2 images are as they were kept.').waitFor();
  await tray.getByRole('button', { name: 'Put aside' }).click();
  await page.getByText('all as it was kept').waitFor();

  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download', exact: true }).click(),
  ]);
  const tar = join(folder.path, 'set.tar');
  await download.saveAs(tar);
  execFileSync('tar', ['-xf', tar, '-C', folder.path, '--strip-components=1']);
  for (const [tool, sums] of [
    ['sha256sum', 'SHA256SUMS'],
    ['md5sum', 'MD5SUMS'],
  ] as const) {
    expect(execFileSync(tool, ['-c', sums], { cwd: folder.path, encoding: 'utf8' })).toBe(
      'boot.img: OK\nefs.img: OK\n',
    );
  }

  await page.getByRole('button', { name: 'Export to a folder' }).click();
  await tray.getByText(/2 files from 32 MiB, with SHA256SUMS, MD5SUMS and CONTENTS.txt in/).waitFor();
  await tray.getByRole('button', { name: 'Put aside' }).click();
  const exported = join(story.serving.app.exportFolder, 'Stock before the update', 'efs.img');
  expect(readFileSync(exported).equals(readFileSync(join(folder.path, 'efs.img')))).toBe(true);

  // One image of it, sparse and packed.
  await page
    .getByRole('row', { name: /^Pick boot/ })
    .locator('.el-checkbox')
    .click();
  await page.getByText('1 picked as').waitFor();
  await page.getByText('raw images', { exact: true }).first().click();
  await page.getByRole('option', { name: 'sparse images' }).click();
  await page.getByText('not packed', { exact: true }).first().click();
  await page.getByRole('option', { name: 'packed by zstd' }).click();
  await page.getByRole('button', { name: 'Export to a folder' }).click();
  await tray.getByText(/1 file from .* CONTENTS.txt in/).waitFor();
  const again = join(story.serving.app.exportFolder, 'Stock before the update (2)');
  execFileSync('zstd', ['-dq', 'boot.simg.zst'], { cwd: again });
  execFileSync('simg2img', ['boot.simg', 'boot.img'], { cwd: again });
  expect(readFileSync(join(again, 'boot.img')).equals(readFileSync(join(folder.path, 'boot.img')))).toBe(
    true,
  );
  folder.remove();
});
