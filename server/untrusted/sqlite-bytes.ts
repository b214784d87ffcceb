import Database from 'better-sqlite3';

/** Where a database says whether it is written through a log (SQLite, file format: read and write version). */
const versionsAt = 18;
const rollbackJournal = 1;

/**
 * Reads from a SQLite database that lies in memory. One that a phone writes through a log is read as its file
 * has it: what is in the log alone is not seen.
 * @throws SqliteError when it is none, or is damaged
 */
export function readDatabase<T>(bytes: Uint8Array, read: (db: Database.Database) => T): T {
  const own = Buffer.from(bytes);
  if (own.length > versionsAt + 1) own.fill(rollbackJournal, versionsAt, versionsAt + 2);
  const db = new Database(own);
  try {
    return read(db);
  } finally {
    db.close();
  }
}
