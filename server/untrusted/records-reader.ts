import Sqlite, { type Database } from 'better-sqlite3';
import { writeCalendar, type CalendarEvent } from '@keen-larder/core/formats/icalendar/icalendar.ts';
import { writeVcards, type Contact } from '@keen-larder/core/formats/vcard/vcard.ts';
import type { RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { parseProviderRows, providedKinds } from '@keen-larder/core/records/provided.ts';
import { readDatabase } from './sqlite-bytes.ts';

/** What records say. */
export interface ReadRecords {
  /** How many; undefined where it cannot be told. */
  readonly count: number | undefined;
  /** In an open format, without secrets; undefined where the raw files are that already. */
  readonly readable: { readonly name: string; readonly text: string } | undefined;
  /** Why they could not be read. */
  readonly fault?: string;
}

type Files = ReadonlyMap<string, Uint8Array>;
type Row = Readonly<Record<string, unknown>>;

const text = (bytes: Uint8Array) => Buffer.from(bytes).toString('utf8');
const allText = (files: Files) => [...files.values()].map(text).join('\n');
const entities: Readonly<Record<string, string>> = { quot: '"', apos: "'", lt: '<', gt: '>', amp: '&' };
const unescapeXml = (value: string) =>
  value.replace(/&(quot|apos|lt|gt|amp);/g, (_, name: string) => entities[name]!);
const json = (name: string, rows: readonly unknown[]): ReadRecords => ({
  count: rows.length,
  readable: { name, text: `${JSON.stringify(rows, null, 2)}\n` },
});
const filesAlone = (files: Files): ReadRecords => ({ count: files.size, readable: undefined });
const timeOf = (at: unknown) => (isTime(at) ? new Date(at).toISOString() : null);

/** Rows of the first database among some files. */
function rowsOf<T>(files: Files, read: (db: Database) => T[]): T[] {
  const first = [...files].find(([path]) => path.endsWith('.db'))?.[1];
  return first ? readDatabase(first, read) : [];
}
const select =
  (sql: string) =>
  (db: Database): Row[] =>
    db.prepare<[], Row>(sql).all();

const mimetype = (name: string) => `vnd.android.cursor.item/${name}`;
/** ContactsContract.CommonDataKinds.Phone and Email, as the types of RFC 6350. */
const phoneTypes: Readonly<Record<string, string>> = { 1: 'home', 2: 'cell', 3: 'work', 6: 'pager' };
const mailTypes: Readonly<Record<string, string>> = { 1: 'home', 2: 'work' };

/** Of the contacts provider: a row of `data` a property, told apart by its type (Android, ContactsContract). */
function contactsIn(db: Database): Contact[] {
  const rows = select(
    `SELECT raw_contacts._id AS contact, raw_contacts.display_name AS name, mimetypes.mimetype AS type,
       data.data1, data.data2, data.data3, data.data4, data.data5, data.data6
     FROM raw_contacts
     JOIN data ON data.raw_contact_id = raw_contacts._id
     JOIN mimetypes ON mimetypes._id = data.mimetype_id
     WHERE raw_contacts.deleted = 0 ORDER BY raw_contacts._id, data._id`,
  )(db);
  const byContact = new Map<unknown, Row[]>();
  for (const row of rows) byContact.set(row['contact'], [...(byContact.get(row['contact']) ?? []), row]);
  return [...byContact.values()].map((own) => {
    const of = (name: string) => own.filter((row) => row['type'] === mimetype(name));
    const field = (row: Row | undefined, name: string) => row?.[name] as string | null | undefined;
    const [name] = of('name');
    const part = (column: string) => field(name, column) ?? '';
    return {
      name: field(own[0], 'name') ?? field(name, 'data1') ?? 'Unnamed',
      ...(name && {
        parts: [part('data3'), part('data2'), part('data5'), part('data4'), part('data6')] as const,
      }),
      phones: of('phone_v2').map((row) => ({
        number: field(row, 'data1') ?? '',
        type: phoneTypes[field(row, 'data2') ?? ''],
      })),
      mails: of('email_v2').map((row) => ({
        address: field(row, 'data1') ?? '',
        type: mailTypes[field(row, 'data2') ?? ''],
      })),
      organisation: field(of('organization')[0], 'data1') ?? undefined,
      note: field(of('note')[0], 'data1') ?? undefined,
    };
  });
}

/** As far as a `Date` reaches, in milliseconds. */
const isTime = (value: unknown): value is number => typeof value === 'number' && Math.abs(value) < 8.64e15;

/** Of the calendar provider (Android, CalendarContract.Events). */
const eventsIn = (db: Database): CalendarEvent[] =>
  select(
    'SELECT _id, title, eventLocation, description, dtstart, dtend, duration, allDay, rrule FROM Events WHERE deleted = 0 AND dtstart IS NOT NULL ORDER BY dtstart, _id',
  )(db).flatMap((row) => {
    const field = (name: string) => (row[name] as string | null) ?? undefined;
    // A time that no calendar has is no event.
    if (!isTime(row['dtstart']) || (row['dtend'] !== null && !isTime(row['dtend']))) return [];
    return {
      uid: `event-${String(row['_id'])}@calendar.invalid`,
      title: field('title') ?? '',
      startsAt: row['dtstart'],
      endsAt: row['dtend'] ?? undefined,
      duration: field('duration'),
      isAllDay: row['allDay'] === 1,
      place: field('eventLocation'),
      description: field('description'),
      rule: field('rrule'),
    };
  });

/** WifiConfigStore: a `WifiConfiguration` a network; its passphrase stays where it is. */
const networksIn = (files: Files) =>
  [...allText(files).matchAll(/<WifiConfiguration>(.*?)<\/WifiConfiguration>/gs)].map(([, body]) => {
    const ssid = /<string name="SSID">(.*?)<\/string>/s.exec(body!)?.[1] ?? '';
    return {
      ssid: unescapeXml(ssid).replace(/^"(.*)"$/s, '$1'),
      hasPassphrase: /<string name="PreSharedKey">/.test(body!),
      isHidden: /<boolean name="HiddenSSID" value="true"/.test(body!),
    };
  });

const device = /^\[((?:[0-9a-f]{2}:){5}[0-9a-f]{2})\]/i;

/** bt_config.conf: a section a device, those paired with a link key. */
const pairingsIn = (files: Files) =>
  allText(files)
    .split(/^(?=\[)/m)
    .filter((section) => device.test(section) && /^(?:LinkKey|LE_KEY_PENC) = /m.test(section))
    .map((section) => ({
      address: device.exec(section)![1],
      name: /^Name = (.*)$/m.exec(section)?.[1] ?? null,
    }));

const messagesIn = (files: Files) =>
  rowsOf(files, select('SELECT address, date, type, body FROM sms ORDER BY date, _id')).map((row) => ({
    with: row['address'],
    at: timeOf(row['date']),
    direction: row['type'] === 1 ? 'received' : 'sent',
    body: row['body'],
  }));

const callKinds: readonly string[] = ['', 'incoming', 'outgoing', 'missed'];
const callsIn = (files: Files) =>
  rowsOf(files, select('SELECT number, date, duration, type, name FROM calls ORDER BY date, _id')).map(
    (row) => ({
      with: row['number'],
      name: row['name'],
      at: timeOf(row['date']),
      seconds: row['duration'],
      kind: callKinds[Number(row['type'])] ?? 'other',
    }),
  );

const placesSql =
  'SELECT title, screen, cellX, cellY, spanX, spanY, appWidgetProvider AS widget FROM favorites ORDER BY screen, cellY, cellX';

const readers: Readonly<Record<RecordKindId, (files: Files, now: number) => ReadRecords>> = {
  wifi: (files) => json('wifi-networks.json', networksIn(files)),
  bluetooth: (files) => json('bluetooth-pairings.json', pairingsIn(files)),
  // Tokens and passwords stay where they are.
  accounts: (files) =>
    json('accounts.json', rowsOf(files, select('SELECT name, type FROM accounts ORDER BY _id'))),
  contacts(files) {
    const contacts = rowsOf(files, contactsIn);
    return { count: contacts.length, readable: { name: 'contacts.vcf', text: writeVcards(contacts) } };
  },
  messages: (files) => json('messages.json', messagesIn(files)),
  calls: (files) => json('calls.json', callsIn(files)),
  calendar(files, now) {
    const events = rowsOf(files, eventsIn);
    return { count: events.length, readable: { name: 'calendar.ics', text: writeCalendar(events, now) } };
  },
  wallpaper: filesAlone,
  sounds: filesAlone,
  words: (files) =>
    json('words.json', rowsOf(files, select('SELECT word, locale, shortcut FROM words ORDER BY word'))),
  home: (files) => json('home-screen.json', rowsOf(files, select(placesSql))),
  usage: filesAlone,
};

/** What records say. @param files by their paths @param now for what is dated as it is written */
export function readRecords(kind: RecordKindId, files: Files, now: number): ReadRecords {
  try {
    return readers[kind](files, now);
  } catch (error) {
    // What they hold is the phone's: whatever is odd about it ends nothing but the reading of it.
    const what =
      error instanceof Sqlite.SqliteError ? 'Its database cannot be read' : 'They hold what records do not';
    return { count: undefined, readable: undefined, fault: `${what}: ${(error as Error).message}.` };
  }
}

/** Tables as the platform's own databases have them, filled with what a provider told. */
const tables: Partial<Readonly<Record<RecordKindId, (db: Database, rows: readonly Row[]) => void>>> = {
  contacts(db, rows) {
    db.exec(`
      CREATE TABLE mimetypes (_id INTEGER PRIMARY KEY, mimetype TEXT UNIQUE);
      CREATE TABLE raw_contacts (_id INTEGER PRIMARY KEY, display_name TEXT, deleted INTEGER NOT NULL DEFAULT 0);
      CREATE TABLE data (_id INTEGER PRIMARY KEY, mimetype_id, raw_contact_id, data1, data2, data3, data4, data5, data6);`);
    const type = db.prepare('INSERT OR IGNORE INTO mimetypes (mimetype) VALUES (@mimetype)');
    const contact = db.prepare(
      'INSERT OR IGNORE INTO raw_contacts (_id, display_name) VALUES (@raw_contact_id, @display_name)',
    );
    const put = db.prepare(`
      INSERT INTO data (mimetype_id, raw_contact_id, data1, data2, data3, data4, data5, data6)
      VALUES ((SELECT _id FROM mimetypes WHERE mimetype = @mimetype), @raw_contact_id, @data1, @data2, @data3, @data4, @data5, @data6)`);
    for (const row of rows) for (const each of [type, contact, put]) each.run(row);
  },
  messages: filled('sms', '_id INTEGER PRIMARY KEY, address TEXT, date INTEGER, type INTEGER, body TEXT'),
  calls: filled(
    'calls',
    '_id INTEGER PRIMARY KEY, number TEXT, date INTEGER, duration INTEGER, type INTEGER, name TEXT',
  ),
  calendar: filled(
    'Events',
    '_id INTEGER PRIMARY KEY, title TEXT, eventLocation TEXT, description TEXT, dtstart INTEGER, dtend INTEGER, duration TEXT, allDay INTEGER, rrule TEXT, deleted INTEGER',
  ),
};

/** A table of columns by their names. */
function filled(name: string, columns: string) {
  const names = columns.split(', ').map((column) => column.split(' ')[0]!);
  return (db: Database, rows: readonly Row[]) => {
    db.exec(`CREATE TABLE ${name} (${columns})`);
    const put = db.prepare(
      `INSERT INTO ${name} (${names.join(', ')}) VALUES (${names.map((each) => `@${each}`).join(', ')})`,
    );
    for (const row of rows) put.run(row);
  };
}

/** What records say that a provider told. @param answer as its tool prints it */
export function readProvided(kind: RecordKindId, answer: string, now: number): ReadRecords {
  const provided = providedKinds[kind];
  const fill = tables[kind];
  if (!provided || !fill) return { count: undefined, readable: undefined, fault: 'No provider tells them.' };
  const db = new Sqlite(':memory:');
  try {
    db.transaction(() => fill(db, parseProviderRows(answer, provided.question.columns)))();
    return readRecords(kind, new Map([['/provided.db', db.serialize()]]), now);
  } catch (error) {
    const fault = `What the provider told cannot be read: ${(error as Error).message}.`;
    return { count: undefined, readable: undefined, fault };
  } finally {
    db.close();
  }
}
