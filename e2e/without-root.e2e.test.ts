// Apps of a phone without root, through the interface alone: its own backup is agreed to on its screen with a password, and they go onto another phone.
// Judged by both phones' file systems.
import Database from 'better-sqlite3';
import { expect, it } from 'vitest';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { serial } from '../testing/bench.ts';
import { openStory } from './story.ts';

const tablet = 'MS10-70055';
/** Without root as well. */
const other = 'MRU4-51288';
const story = openStory([tablet, other]);

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

/** Contacts as a phone's provider has them: names with a number each. */
async function contactsOf(phone: Phone): Promise<string[]> {
  const fs = await openFileSystem(await phone.userData());
  const found = await fs.find('/data/com.android.providers.contacts/databases/contacts2.db');
  if (!found) return [];
  const parts: Uint8Array[] = [];
  for await (const part of fs.content(found)) parts.push(part.slice());
  const db = new Database(Buffer.concat(parts));
  const rows = db
    .prepare<[], { name: string; number: string }>(
      `SELECT display_name AS name, data1 AS number FROM raw_contacts JOIN data ON raw_contact_id = raw_contacts._id
       WHERE deleted = 0 AND mimetype_id = 2`,
    )
    .all();
  db.close();
  return rows.map(({ name, number }) => `${name} ${number}`).sort();
}

it(
  'puts contacts of a phone without root onto another, once they are accepted there',
  { timeout: 240_000 },
  async () => {
    const { page } = story;
    const [from, to] = [story.phoneOf(tablet), story.phoneOf(other)];
    const [wanted, before] = [await contactsOf(from), await contactsOf(to)];
    expect(wanted.length).toBeGreaterThan(3);
    const missing = wanted.filter((each) => !before.includes(each));
    expect(missing.length).toBeGreaterThan(0);
    const tray = page.getByRole('complementary', { name: 'Tray' });
    from.trusting = true;
    await story.go(`/bench/${tablet}/records`);
    const aside = tray.getByRole('button', { name: 'Put aside' });
    await page.getByLabel('Pick Contacts').check();
    if (await aside.isVisible()) await aside.click();
    await tray.getByRole('button', { name: 'Keep 1 kind of records' }).click();
    await tray
      .getByText(/kind of records kept|One kind/)
      .first()
      .waitFor();
    await tray.getByRole('button', { name: 'Put aside' }).click();

    to.trusting = false;
    await story.go(`/bench/${other}/records`);
    await page.getByRole('button', { name: /Sedge 10|Visitor|MS10/ }).click();
    await page.getByLabel('Pick Contacts').check();
    await tray.getByText('Put back', { exact: true }).click();
    await tray.getByText('Somebody accepts them on the phone’s screen').waitFor();
    await tray.locator('.tick').first().click();
    await tray.getByRole('button', { name: 'Put back 1 kind of records' }).click();
    await tray
      .getByText(/accept the contacts on its screen/)
      .first()
      .waitFor();
    await page.getByRole('link', { name: 'Practice bench' }).click();
    await page.getByRole('link', { name: /asks on its screen/ }).click();
    await page.getByText('Take in what is in this file?').waitFor();
    await page.getByRole('button', { name: 'Tap Agree' }).click();
    await page.getByRole('link', { name: 'Runs', exact: true }).click();
    await page
      .getByText(/One kind of records in place and proved/)
      .first()
      .waitFor();
    expect(await contactsOf(to)).toEqual([...before, ...missing].sort());
  },
);
