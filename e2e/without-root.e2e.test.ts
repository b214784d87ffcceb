// Apps of a phone without root, through the interface alone: its own backup is agreed to on its screen with a password, and they go onto another phone.
// Judged by both phones' file systems.
import { expect, it } from 'vitest';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { serial } from '../testing/bench.ts';
import { openStory } from './story.ts';

const tablet = 'MS10-70055';
const story = openStory([tablet]);

/** Files of an app's data by path, but caches. */
async function dataOf(phone: Phone, name: string): Promise<Map<string, string>> {
  const fs = await Ext4.open(phone.flash.partition('userdata')!);
  const found = new Map<string, string>();
  const walk = async (path: string): Promise<void> => {
    const inode = await fs.findSelf(path);
    if (inode?.type === 'directory') {
      for (const each of await fs.list(inode)) if (each.name !== 'cache') await walk(`${path}/${each.name}`);
    } else if (inode?.type === 'file') {
      const parts: Uint8Array[] = [];
      for await (const part of fs.content(inode)) parts.push(Uint8Array.from(part));
      found.set(path, Buffer.concat(parts).toString('base64'));
    }
  };
  await walk(`/data/${name}`);
  return found;
}

it(
  'moves an app of a phone without root, once somebody agreed on its screen',
  { timeout: 240_000 },
  async () => {
    const { page } = story;
    const [from, to] = [story.phoneOf(tablet), story.phone];
    const kept = await dataOf(from, 'example.almanac');
    expect(kept.size).toBeGreaterThan(0);
    await story.go('/');
    await page.locator(`[data-serial="${tablet}"]`).getByText('system', { exact: true }).waitFor();
    await page.locator(`[data-serial="${serial}"]`).getByText('system', { exact: true }).waitFor();
    // From here on somebody has to answer.
    from.trusting = false;
    await page.locator(`[data-serial="${tablet}"]`).click();
    await page.getByRole('link', { name: 'Move', exact: true }).click();
    await page.locator('.target').click();
    await page.getByRole('option', { name: /Knot 3/ }).click();
    const row = (name: string) => page.getByRole('row', { name: new RegExp(name) });
    await row('Reed Messenger')
      .getByText(/forbids backups/)
      .waitFor();
    await row('Pocket Almanac Plus').locator('.el-checkbox').click();
    const tray = page.getByRole('complementary', { name: 'Tray' });
    await tray.getByText(/The phone asks on its screen/).waitFor();
    const secret = 'Samphire & Düne 7';
    await tray.getByLabel('Password of its backups').fill(secret);
    await tray.getByRole('button', { name: 'Move 1 app' }).click();
    await tray
      .getByText(/agree to the backup on its screen/)
      .first()
      .waitFor();

    await page.getByRole('link', { name: 'Practice bench' }).click();
    await page.getByRole('link', { name: /asks on its screen/ }).click();
    await page.getByRole('textbox', { name: 'Password typed there' }).fill(secret);
    await page.getByRole('button', { name: 'Tap Agree' }).click({ timeout: 3000 });
    await page.getByRole('link', { name: 'Runs', exact: true }).click();
    await page
      .getByText(/^One app copied/)
      .first()
      .waitFor();
    await page
      .getByText(/^One app is in place and proved/)
      .first()
      .waitFor({ timeout: 120_000 });
    expect(await dataOf(to, 'example.almanac')).toEqual(kept);
  },
);
