import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import Sqlite from 'better-sqlite3';
import type { RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { overwriteFile } from '@keen-larder/standin/flash/file-writes.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { isIn, openOn, serial, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { LinkFailure } from '../../failures.ts';
import { exchangeRecords } from './records-exchange.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { startKeepingRecords } from './keeping-records.ts';
import { startPuttingRecords } from './putting-records.ts';
import { recordsOnPhone } from './records-on-phone.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await until('the system', isIn(app, 'system'));
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const contacts = '/data/com.android.providers.contacts/databases/contacts2.db';
async function onFlash(path: string) {
  const fs = await Ext4.open(bench.phone.flash.partition('userdata')!);
  const inode = (await fs.find(path))!;
  const parts: Uint8Array[] = [];
  for await (const part of fs.content(inode)) parts.push(part.slice());
  const label = (await fs.attributes(inode)).find(({ name }) => name === 'security.selinux');
  const owner = `${inode.uid}:${inode.gid} ${inode.permissions.toString(8)} ${Buffer.from(label?.value ?? []).toString()}`;
  return { owner, bytes: Buffer.concat(parts) };
}
/** What lies beside the contacts of an exchange. */
async function staged(): Promise<string[]> {
  const at = `/data${contacts.slice(0, contacts.lastIndexOf('/'))}`;
  const names = (await app.bench.link(serial).files!.list(at)).map(({ name }) => name);
  return names.filter((name) => name.startsWith('.keen-larder'));
}
const keep = async (kinds: RecordKindId[]) =>
  app.engine.ended((await startKeepingRecords(app, serial, { kinds, confirmed: [] })).id);
const copyOf = (kind: RecordKindId) =>
  app.larder.records.of(serial).find(({ records }) => records.kind === kind)!;
async function textOf(kind: RecordKindId, name: string): Promise<string> {
  const parts: Uint8Array[] = [];
  for await (const part of readImage(app.larder.shelf, app.larder.records.part(copyOf(kind).id, name)))
    parts.push(part);
  return Buffer.concat(parts).toString();
}

describe('personal records', () => {
  it('are counted where the platform keeps them', async () => {
    const found = await recordsOnPhone(app, serial);
    expect(Object.fromEntries(found.map(({ kind, count }) => [kind, count]))).toEqual({
      wifi: 3,
      bluetooth: 2,
      accounts: 1,
      contacts: 7,
      messages: 46,
      calls: 24,
      calendar: 12,
      wallpaper: 2,
      sounds: 1,
      words: 5,
      home: 4,
      usage: 1,
    });
    expect(found.every(({ fault }) => fault === undefined)).toBe(true);
  });

  it('are kept as raw files and in open formats, secrets in the raw files alone', async () => {
    const ended = await keep(['wifi', 'contacts', 'calendar', 'accounts', 'bluetooth']);
    expect(ended.outcome).toMatch(/^5 kinds of records kept/);
    const vcard = await textOf('contacts', 'contacts.vcf');
    expect(vcard.match(/^BEGIN:VCARD/gm)).toHaveLength(7);
    expect(vcard).toMatch(/FN:North hide\r\n/);
    expect(vcard).not.toMatch(/Old hide/);
    expect(await textOf('calendar', 'calendar.ics')).toMatch(/RRULE:FREQ=WEEKLY;BYDAY=SU\r\n/);
    const secrets = /not-a-real|nor-is-this|00112233445566778899/;
    for (const [kind, name] of [
      ['wifi', 'wifi-networks.json'],
      ['accounts', 'accounts.json'],
      ['bluetooth', 'bluetooth-pairings.json'],
    ] as const) {
      expect(await textOf(kind, name)).not.toMatch(secrets);
    }
    expect(await textOf('wifi', 'misc/wifi/WifiConfigStore.xml')).toMatch(secrets);
    const log = app.engine.list().flatMap(({ id }) => app.engine.logOf(id).map(({ text }) => text));
    expect(log.join('\n')).not.toMatch(secrets);
  });

  it('go back as they were, and what was there is in the larder', { timeout: 60_000 }, async () => {
    const before = await onFlash(contacts);
    // Somebody deletes all contacts.
    const db = new Sqlite(Buffer.from(before.bytes));
    db.exec('UPDATE raw_contacts SET deleted = 1');
    const emptied = db.serialize();
    db.close();
    expect(emptied).toHaveLength(before.bytes.length);
    await overwriteFile(bench.phone.flash.partition('userdata')!, contacts, 0, emptied);
    const copy = copyOf('contacts');
    const { id } = await startPuttingRecords(app, serial, {
      copies: [copy.id],
      confirmed: [],
      armedWith: serial.slice(-4),
    });
    const ended = await app.engine.ended(id);
    expect(ended.outcome).toBe('One kind of records in place and proved.');
    expect(await onFlash(contacts)).toEqual(before);
    expect(app.larder.records.of(serial).filter(({ records }) => records.kind === 'contacts')).toHaveLength(
      2,
    );
  });

  it('stay as they are on a phone that has no room for them', { timeout: 60_000 }, async () => {
    const before = await onFlash(contacts);
    bench.phone.breakDown('full', 1);
    const { id } = await startPuttingRecords(app, serial, {
      copies: [copyOf('contacts').id],
      confirmed: [],
      armedWith: serial.slice(-4),
    });
    const ended = await app.engine.ended(id);
    bench.phone.mendAll();
    expect(ended.outcome).toMatch(/^Not put back, and as before: Contacts/);
    expect(await onFlash(contacts)).toEqual(before);
    expect(await staged()).toEqual([]);
  });

  it('are as before the first try when an exchange broke off', { timeout: 60_000 }, async () => {
    const before = await onFlash(contacts);
    const link = app.bench.link(serial);
    const folders = link.folders!;
    const at = `/data${contacts.slice(0, contacts.lastIndexOf('/'))}`;
    // As far as a run comes that is killed in the middle: new ones are in place, nothing is settled.
    const broken = {
      ...link,
      folders: { ...folders, settle: () => Promise.reject(new LinkFailure('gone')) },
    };
    for (const name of ['nextOf', 'stage', 'swap', 'rollBack', 'hasFolder'] as const)
      Object.assign(broken.folders, { [name]: folders[name].bind(folders) });
    const emptied = Buffer.from('not a database');
    await expect(
      exchangeRecords(
        broken as typeof link,
        'contacts',
        [{ path: contacts, bytes: emptied, sha256: createHash('sha256').update(emptied).digest('hex') }],
        copyOf('contacts').records.files,
      ),
    ).rejects.toThrow('gone');
    expect((await onFlash(contacts)).bytes).toEqual(emptied);
    expect(await staged()).not.toEqual([]);
    // Neither counted nor kept as the phone's.
    expect((await keep(['contacts'])).state).toBe('done');
    expect(await onFlash(contacts)).toEqual(before);
    expect(await link.files!.list(at)).toContainEqual({ name: 'contacts2.db', isFolder: false });
    expect(await staged()).toEqual([]);
  });

  it('are refused where they may not travel to, and unarmed', async () => {
    const copies = [copyOf('contacts').id];
    await expect(startPuttingRecords(app, serial, { copies, confirmed: [] })).rejects.toThrow(/type 0482/);
    await app.larder.records.add({
      phone: { serial: 'ELSE-1', maker: 'Tidewell', model: 'Knot 5', nickname: 'Elsewhere' },
      createdAt: 1,
      addedBytes: 0,
      facts: { kind: 'calendar', files: [], sdk: 34, androidVersion: '14' },
      parts: [],
    });
    const other = app.larder.records.list().find((each) => each.serial === 'ELSE-1')!;
    await expect(
      startPuttingRecords(app, serial, {
        copies: [other.id],
        confirmed: ['another-phone'],
        armedWith: '0482',
      }),
    ).rejects.toThrow(/Calendar came from Android 14, and this phone runs Android 9/);
  });
});
