// Personal records through the interface alone: kept, changed on the phone, put back; refused on a phone of another
// Android version, with the reason. Judged by the phone's own file system.
import Sqlite from 'better-sqlite3';
import { expect, it } from 'vitest';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { overwriteFile } from '@keen-larder/standin/flash/file-writes.ts';
import { serial } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const knot5 = 'TW5K-20316';
const story = openStory([knot5]);
const words = '/data/com.android.providers.userdictionary/databases/user_dict.db';
const contacts = '/data/com.android.providers.contacts/databases/contacts2.db';

async function bytesOf(path: string): Promise<Buffer> {
  const fs = await Ext4.open(story.phone.flash.partition('userdata')!);
  const parts: Uint8Array[] = [];
  for await (const part of fs.content((await fs.find(path))!)) parts.push(Uint8Array.from(part));
  return Buffer.concat(parts);
}

/** What somebody does on the phone itself. */
async function change(path: string, sql: string): Promise<void> {
  const db = new Sqlite(await bytesOf(path));
  db.exec(sql);
  await overwriteFile(story.phone.flash.partition('userdata')!, path, 0, db.serialize());
  db.close();
}

// With `npm run kills`.
it.runIf(isLong)(
  'keeps records and puts them back, and refuses them on another Android version',
  { timeout: 240_000 },
  async () => {
    const { page } = story;
    const tray = page.getByRole('complementary', { name: 'Tray' });
    const open = async (phone: string) => {
      await page.locator(`[data-serial="${phone}"]`).click();
      await page.getByRole('link', { name: 'Records', exact: true }).click();
      await page.getByRole('row', { name: /Contacts/ }).waitFor();
    };
    const pick = (kind: string) =>
      page
        .locator('label.el-checkbox', { has: page.getByRole('checkbox', { name: `Pick ${kind}` }) })
        .click();
    await story.go('/');
    for (const phone of [serial, knot5])
      await page.locator(`[data-serial="${phone}"]`).getByText('system', { exact: true }).waitFor();
    await open(serial);
    await page.getByRole('row', { name: /Contacts 7 .* this Android version never/ }).waitFor();
    await page.getByRole('row', { name: /Wallpaper 2 .* any phone/ }).waitFor();

    await pick('contacts');
    await pick('words');
    await tray.getByRole('button', { name: 'Keep 2 kinds of records' }).click();
    await tray.getByText(/^2 kinds of records kept/).waitFor();
    await tray.getByRole('button', { name: 'Put aside' }).click();
    await page.getByRole('link', { name: 'contacts.vcf' }).waitFor();
    const kept = [await bytesOf(contacts), await bytesOf(words)];

    await change(contacts, 'UPDATE raw_contacts SET deleted = 1');
    await change(words, "UPDATE words SET word = 'lost'");
    expect([await bytesOf(contacts), await bytesOf(words)]).not.toEqual(kept);
    await page.getByRole('button', { name: 'Read again' }).click();
    await page.getByRole('row', { name: /Contacts 0 / }).waitFor();
    await pick('contacts');
    await pick('words');
    await tray.getByText('Put back', { exact: true }).click();
    await tray.getByText('What is there is replaced').waitFor();
    const go = tray.getByRole('button', { name: 'Put back 2 kinds of records' });
    expect(await go.isDisabled()).toBe(true);
    await tray.getByRole('textbox', { name: 'Last four characters of the serial' }).fill(serial.slice(-4));
    await go.click();
    await tray.getByText(/^2 kinds of records in place and proved/).waitFor({ timeout: 90_000 });
    await tray.getByRole('button', { name: 'Put aside' }).click();
    expect([await bytesOf(contacts), await bytesOf(words)]).toEqual(kept);
    await page.getByRole('row', { name: /Contacts 7 / }).waitFor();

    await open(knot5);
    // Another customer's records are behind a choice that names the phone.
    await page.getByRole('row', { name: /Contacts .* never/ }).waitFor();
    await page.getByRole('button', { name: 'Ringing hut…' }).click();
    await pick('contacts');
    await tray.getByText('Put back', { exact: true }).click();
    await tray.getByText('Contacts: only for this Android version').waitFor();
    await tray.getByText(/Contacts came from Android 9, and this phone runs Android 14/).waitFor();
    expect(await tray.getByRole('button', { name: 'Put back 1 kind of records' }).isDisabled()).toBe(true);
  },
);
