import Database from 'better-sqlite3';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import {
  readContentLines,
  splitValue,
  unescapeText,
} from '@keen-larder/core/formats/content-lines/content-lines.ts';
import { editTree } from '../flash/file-tree.ts';
import { complain, print, type Process } from '../shell/host.ts';
import { readMounted } from '../shell/files.ts';
import { textOf } from '../shell/language/input.ts';
import { turnsOf } from '../shell/turns.ts';

type Take = (db: Database.Database, text: string) => void;

/** Properties of each component of a file. */
function componentsIn(text: string, component: string): Map<string, string[]>[] {
  const found: Map<string, string[]>[] = [];
  let own: Map<string, string[]> | undefined;
  for (const { name, value } of readContentLines(text)) {
    if (name === 'BEGIN' && value === component) own = new Map();
    else if (name === 'END' && value === component && own) {
      found.push(own);
      own = undefined;
    } else own?.set(name, [...(own.get(name) ?? []), value]);
  }
  return found;
}

/** vCards of the versions that its app of contacts reads, each beside what is there. */
const contacts: Take = (db, text) => {
  const typeOf = db.prepare<[string], { _id: number }>('SELECT _id FROM mimetypes WHERE mimetype = ?');
  const put = db.prepare(
    'INSERT INTO data (mimetype_id, raw_contact_id, data1, data2, data3) VALUES (?, ?, ?, ?, ?)',
  );
  for (const card of componentsIn(text, 'VCARD')) {
    if (card.get('VERSION')?.[0] === '4.0') continue;
    const of = (name: string) => (card.get(name) ?? []).map(unescapeText);
    const [name = ''] = of('FN');
    const [family = '', given = ''] = splitValue(card.get('N')?.[0] ?? '', ';').map(unescapeText);
    const { lastInsertRowid: id } = db
      .prepare('INSERT INTO raw_contacts (display_name, deleted) VALUES (?, 0)')
      .run(name);
    const add = (type: string, data1: string, data2: string | null, data3: string | null = null) =>
      put.run(typeOf.get(`vnd.android.cursor.item/${type}`)!._id, id, data1, data2, data3);
    add('name', name, given, family);
    for (const number of of('TEL')) add('phone_v2', number, '2');
    for (const mail of of('EMAIL')) add('email_v2', mail, '2');
    for (const note of of('NOTE')) add('note', note, null);
  }
};

/** `20260503T090000Z`, or a day alone. */
function timeOf(value: string): number {
  const [, y, m, d, h = '0', min = '0', s = '0'] =
    /^(\d{4})(\d\d)(\d\d)(?:T(\d\d)(\d\d)(\d\d)Z?)?$/.exec(value) ?? [];
  return Date.UTC(Number(y), Number(m) - 1, Number(d), Number(h), Number(min), Number(s));
}

const calendar: Take = (db, text) => {
  const put = db.prepare(
    'INSERT INTO Events (calendar_id, title, eventLocation, dtstart, dtend, allDay, eventTimezone, deleted) VALUES (1, ?, ?, ?, ?, ?, ?, 0)',
  );
  for (const event of componentsIn(text, 'VEVENT')) {
    const of = (name: string) => event.get(name)?.[0];
    const [start, end] = [of('DTSTART') ?? '', of('DTEND')];
    put.run(
      ...[
        unescapeText(of('SUMMARY') ?? ''),
        of('LOCATION') === undefined ? null : unescapeText(of('LOCATION')!),
      ],
      ...[timeOf(start), end === undefined ? null : timeOf(end), start.includes('T') ? 0 : 1, 'UTC'],
    );
  }
};

/** Apps that open files of a type, and the database that what they take in goes into. */
const takers: Readonly<Record<string, { readonly path: string; readonly take: Take }>> = {
  'text/x-vcard': { path: '/data/com.android.providers.contacts/databases/contacts2.db', take: contacts },
  'text/calendar': { path: '/data/com.android.providers.calendar/databases/calendar.db', take: calendar },
};

/** Opens a file with the app for its type, which takes in what is in it once somebody agrees on the screen. */
export async function openFile(process: Process, uri: string, type: string): Promise<number> {
  const { host } = process;
  const taker = takers[type];
  if (!taker || !uri.startsWith('file://'))
    return complain(process, 'Error', 'Activity not started, unable to resolve Intent');
  const found = await readMounted(host, uri.slice('file://'.length), process.uid);
  if (typeof found === 'string') return complain(process, 'Error', found);
  const text = await textOf(found);
  await print(process, `Starting: Intent { act=android.intent.action.VIEW dat=${uri} typ=${type} }\n`);
  void (async () => {
    if (!(await host.isAgreedTo('import'))) return;
    const { source } = host.mounts.find(({ at }) => at === '/data')!;
    await turnsOf(host).changing(async () => {
      const fs = await openFileSystem(source);
      const inode = await fs.find(taker.path);
      if (!inode) return;
      const parts: Uint8Array[] = [];
      for await (const part of fs.content(inode)) parts.push(part.slice());
      const db = new Database(Buffer.concat(parts));
      taker.take(db, text);
      const bytes = db.serialize();
      db.close();
      const { permissions, uid, gid } = inode;
      const attributes = await fs.attributes(inode);
      const modifiedAt = Math.floor(Date.now() / 1000);
      await editTree(source, {
        adds: [
          {
            ...{ path: taker.path, type: 'file', permissions, uid, gid, attributes, modifiedAt },
            ...{ bytes: bytes.length, content: onePiece(bytes) },
          },
        ],
      });
    });
  })().catch(() => undefined);
  return 0;
}
