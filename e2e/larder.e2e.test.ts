// The larder as a technician keeps it in order: names, notes, filters, the bin, files out of it.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, expect, it } from 'vitest';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { overwriteFile } from '@keen-larder/standin/flash/file-writes.ts';
import type { Device } from '@keen-larder/standin/flash/flash.ts';
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
  const note = page.getByRole('textbox', { name: 'Note', exact: true });
  await note.fill('a dunlin in flight');
  await page.getByText('saved when you leave the field').waitFor();
  await page.getByRole('heading', { name: 'The logo, for the record' }).click();
  await page.getByText('Note, saved', { exact: true }).waitFor();
  await expect
    .poll(() => story.serving.app.larder.list().find(({ label }) => label.startsWith('The logo'))?.note)
    .toBe('a dunlin in flight');
  await page.reload();
  await page.getByRole('heading', { name: 'The logo, for the record' }).waitFor();
  await expect.poll(() => note.inputValue()).toBe('a dunlin in flight');
});

it('puts a set into the bin and takes it back', async () => {
  const { page } = story;
  await page.getByRole('button', { name: 'Delete' }).click();
  await page.getByText('In the bin for 30 days').waitFor();
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

it('compares two sets down to a changed line of build.prop', async () => {
  const { page } = story;
  const { app } = story.serving;
  const system = story.phone.flash.partition('system')!;
  await keepSet(app, 'As it came', ['system', 'logo']);
  const text = await buildProp(system);
  const line = /^ro\.build\.id=(.*)$/m.exec(text)!;
  const changed = line[1]!.replace(/.$/, (last) => (last === '9' ? '8' : '9'));
  await overwriteFile(system, propPath, line.index + 'ro.build.id='.length, Buffer.from(changed));
  await keepSet(app, 'Build changed by hand', ['system', 'logo']);

  await story.go('/larder');
  await page.getByRole('link', { name: 'Build changed by hand' }).click();
  await page.getByRole('combobox', { name: 'Compare with another set' }).click();
  await page.getByRole('option', { name: /As it came/ }).click();
  await page.getByText('1 of 2 differ, 1 is the same.').waitFor();
  await page.getByRole('img', { name: 'Where system differs' }).waitFor();
  await page.getByRole('table').getByRole('link', { name: 'system' }).click();
  await page.getByText('Files: 1 changed, 0 came, 0 went, 0 lie elsewhere now.').waitFor();
  await page.getByRole('link', { name: propPath }).click();
  const found = page.getByRole('complementary', { name: propPath });
  const row = found.getByRole('row', { name: 'ro.build.id' });
  expect(await row.getByRole('cell').allTextContents()).toEqual(['ro.build.id', line[1], changed]);
  await found.getByText(`-ro.build.id=${line[1]!}`).waitFor();
  await found.getByText(`+ro.build.id=${changed}`).waitFor();
});

it('shows what the rules let go, spares what is pinned, and takes back what went', async () => {
  const { page } = story;
  const { app } = story.serving;
  const labels = () =>
    app.larder
      .list()
      .filter(({ binnedAt }) => binnedAt === undefined)
      .map(({ label }) => label)
      .sort();
  const before = labels();
  await story.go('/larder');
  await page.getByRole('link', { name: 'Order', exact: true }).click();
  await page.getByText('Nothing would go').waitFor();
  const newest = page.getByRole('spinbutton', { name: 'Newest sets' });
  await newest.fill('1');
  await newest.press('Enter');
  const months = page.getByRole('spinbutton', { name: 'Months' });
  await months.fill('0');
  await months.press('Enter');
  const going = page.getByRole('region', { name: 'What would go' });
  const staying = page.getByRole('region', { name: 'What stays' });
  await going.getByRole('row', { name: 'As it came' }).waitFor();
  const count = await going.getByRole('row').count();
  await going.getByRole('row', { name: 'As it came' }).getByRole('button', { name: 'Pin' }).click();
  await staying.getByRole('row', { name: 'As it came' }).getByText('pinned').waitFor();
  expect(await going.getByRole('row').count()).toBe(count - 1);
  const apply = going.getByRole('button', { name: /into the bin/ });
  if (count > 1) {
    await apply.click();
    await page.getByRole('button', { name: 'Take them back' }).click();
    await expect.poll(labels).toEqual(before);
  }
  await story.go('/larder');
  await page.getByRole('img', { name: 'Pinned' }).waitFor();
});

const propPath = '/build.prop';
async function buildProp(system: Device): Promise<string> {
  const fs = await Ext4.open(system);
  return Buffer.from(await fs.read((await fs.find(propPath))!)).toString();
}
