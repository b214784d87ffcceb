import Sqlite from 'better-sqlite3';
import { readDatabase } from './sqlite-bytes.ts';

/** Uids of apps that keep keys, from the key store's database: of the domain of apps, whose name spaces are their uids. */
export function keyUidsIn(bytes: Uint8Array): number[] {
  try {
    return readDatabase(bytes, (db) =>
      db.prepare<[], number>('SELECT DISTINCT namespace FROM keyentry WHERE domain = 0').pluck().all(),
    );
  } catch (error) {
    // Of a database that cannot be read nothing is known.
    if (error instanceof Sqlite.SqliteError) return [];
    throw error;
  }
}
