// Apps of a phone move to a tablet of another processor, whose system gives no root: one goes, one goes after a step
// on the phone that it leaves, one cannot. Judged by both phones' file systems and package lists.
import { expect, it } from 'vitest';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { serial } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const tablet = 'MS10-70055';
const story = openStory([tablet]);

async function fileOf(phone: Phone, path: string) {
  const fs = await Ext4.open(phone.flash.partition('userdata')!);
  const inode = await fs.find(path);
  if (!inode) return undefined;
  const parts: Uint8Array[] = [];
  for await (const part of fs.content(inode)) parts.push(Uint8Array.from(part));
  return { uid: inode.uid, bytes: Buffer.concat(parts).toString('base64') };
}
const listOf = async (phone: Phone) =>
  (await (await Ext4.open(phone.flash.partition('userdata')!)).text('/system/packages.list')) ?? '';
const database = (name: string) => `/data/example.${name}/databases/${name}.db`;

it.runIf(isLong)(
  'moves what can go, in the order that accounts want, and says what cannot',
  { timeout: 300_000 },
  async () => {
    const { page } = story;
    const [from, to] = [story.phone, story.phoneOf(tablet)];
    await story.go('/');
    await page.locator(`[data-serial="${tablet}"]`).getByText('system', { exact: true }).waitFor();
    await page.locator(`[data-serial="${serial}"]`).click();
    await page.getByRole('link', { name: 'Move', exact: true }).click();
    await page.locator('.target').click();
    await page.getByRole('option', { name: /Sedge 10/ }).click();
    const row = (name: string) => page.getByRole('row', { name: new RegExp(name) });
    await row('Ringcode').getByText('Cannot go').waitFor();
    await row('Ringcode')
      .getByText(/no native code for armeabi-v7a/)
      .waitFor();
    expect(await page.getByRole('checkbox', { name: 'Pick Ringcode' }).isDisabled()).toBe(true);
    await row('Marshlog')
      .getByText(/copied, then removed from Ringing hut/)
      .waitFor();
    const kept = {
      tidebook: await fileOf(from, database('tidebook')),
      marshlog: await fileOf(from, database('marshlog')),
    };

    await page.getByRole('button', { name: 'Pick all 2 that can go' }).click();
    const tray = page.getByRole('complementary', { name: 'Tray' });
    await tray.getByRole('button', { name: 'Put data back in recovery' }).click();
    await tray.getByText('The phone restarts twice', { exact: false }).waitFor();
    const go = tray.getByRole('button', { name: 'Move 2 apps' });
    expect(await go.isDisabled()).toBe(true);
    await tray.getByText('I understand').click();
    await go.click();

    await page.getByRole('link', { name: 'Runs', exact: true }).click();
    // The tray says it as well, when it was not put aside.
    await page
      .getByText(/^2 apps copied.*Removed from this phone: Marshlog\.$/)
      .first()
      .waitFor();
    await page
      .getByText(/^2 apps are in place and proved/)
      .first()
      .waitFor({ timeout: 120_000 });

    expect(await listOf(from)).not.toMatch(/marshlog/);
    expect(await listOf(from)).toMatch(/tidebook/);
    const list = await listOf(to);
    for (const name of ['tidebook', 'marshlog'] as const) {
      const [, uid] = new RegExp(`^example\\.${name} (\\d+)`, 'm').exec(list)!;
      expect(await fileOf(to, database(name))).toEqual({ uid: Number(uid), bytes: kept[name]!.bytes });
    }
    expect(list).not.toMatch(/ringcode/);

    // What is on either phone now, not what was there before.
    await page.getByRole('link', { name: 'Bench', exact: true }).click();
    await page.locator(`[data-serial="${serial}"]`).click();
    await page.getByRole('link', { name: 'Move', exact: true }).click();
    await page.locator('.target').click();
    await page.getByRole('option', { name: /Sedge 10/ }).click();
    await row('Tidebook').waitFor();
    await row('Marshlog').waitFor({ state: 'detached' });
  },
);
