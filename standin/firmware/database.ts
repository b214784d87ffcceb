import Database from 'better-sqlite3';
import { generator } from './filler.ts';

const species = ['dunlin', 'knot', 'curlew', 'redshank', 'turnstone', 'sanderling', 'plover', 'tern'];
const places = ['north hide', 'ringing hut', 'boat shed', 'east wall', 'visitor desk', 'sluice'];
const pageBytes = 4096;
const noteLength = 48;
/** Of 2026, in milliseconds since 1970. */
const firstEntryAt = Date.UTC(2026, 0, 3, 6);

const noteOf = (text: string) => text.padEnd(noteLength, '.');

/**
 * The SQLite database of a notebook app: an entry a row until it is about as large as asked.
 * @param bytes at least so many
 * @returns the same bytes for the same arguments, a few pages more than asked
 */
export function notebookDatabase(seed: number, bytes: number): Buffer {
  const next = generator(seed);
  const db = new Database(':memory:');
  try {
    db.pragma(`page_size = ${pageBytes}`);
    db.exec(`
      CREATE TABLE android_metadata (locale TEXT);
      INSERT INTO android_metadata VALUES ('en_GB');
      CREATE TABLE entries (
        id INTEGER PRIMARY KEY, at INTEGER NOT NULL, species TEXT NOT NULL, count INTEGER NOT NULL,
        place TEXT NOT NULL, note TEXT NOT NULL
      );
      PRAGMA user_version = 4;`);
    const insert = db.prepare('INSERT INTO entries (at, species, count, place, note) VALUES (?, ?, ?, ?, ?)');
    const pages = db.prepare<[], number>('PRAGMA page_count').pluck();
    const fill = db.transaction((rows: number) => {
      for (let i = 0; i < rows; i++) {
        insert.run(
          firstEntryAt + (next() % 20_000_000) * 1000,
          species[next() % species.length],
          next() % 400,
          places[next() % places.length],
          noteOf(`seen by watch ${next() % 24}`),
        );
      }
    });
    while (pages.get()! * pageBytes < bytes) fill(100);
    return db.serialize();
  } finally {
    db.close();
  }
}

/** A day's work in a notebook: one entry's note, in place. @returns as many bytes as before */
export function withDay(database: Uint8Array, day: number): Buffer {
  const db = new Database(Buffer.from(database));
  try {
    const rows = db.prepare<[], number>('SELECT count(*) FROM entries').pluck().get()!;
    db.prepare('UPDATE entries SET note = ? WHERE id = ?').run(
      noteOf(`looked at again on day ${day}`),
      (day % rows) + 1,
    );
    return db.serialize();
  } finally {
    db.close();
  }
}
