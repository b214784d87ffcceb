import { readdirSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import Sqlite from 'better-sqlite3';

export type Database = Sqlite.Database;

const migrations = join(import.meta.dirname, 'migrations');

/** A catalogue that SQLite cannot read; the message says which and what to do. */
export class DamagedCatalogue extends Error {
  override readonly name = 'DamagedCatalogue';

  constructor(path: string, cause: unknown) {
    super(
      `The catalogue ${basename(path)} is damaged (${(cause as Error).message}). The sets are on the shelf: run “larder rebuild”, which rebuilds the catalogue from them.`,
      { cause },
    );
  }
}

/**
 * Opens the catalogue and brings its tables up to date.
 * @param path a file, or `:memory:`
 * @param beforeMigrating called with a catalogue of an earlier version, before it is changed
 * @throws DamagedCatalogue when SQLite cannot read it, another Error when a newer program wrote it
 */
export function openDatabase(
  path: string,
  beforeMigrating: (db: Database) => void = () => undefined,
): Database {
  try {
    return opened(path, beforeMigrating);
  } catch (error) {
    const { code = '' } = error as { code?: string };
    // The index of its log takes some room on the disk, unless this program alone opens it.
    if (!code.startsWith('SQLITE_IOERR_SHM') && code !== 'SQLITE_FULL') throw error;
    return opened(path, beforeMigrating, 'EXCLUSIVE');
  }
}

function opened(
  path: string,
  beforeMigrating: (db: Database) => void,
  locking: 'NORMAL' | 'EXCLUSIVE' = 'NORMAL',
): Database {
  const db = new Sqlite(path);
  try {
    db.pragma(`locking_mode = ${locking}`);
    db.pragma('journal_mode = WAL');
    db.pragma('synchronous = FULL');
    db.pragma('foreign_keys = ON');
    requireSound(db);
    migrate(db, beforeMigrating);
    return db;
  } catch (error) {
    db.close();
    throw isDamage(error) ? new DamagedCatalogue(path, error) : error;
  }
}

/** Opens the catalogue beside the program that works with it. @throws Error when it must be brought up to date first */
export function openForReadingOnly(path: string): Database {
  const db = new Sqlite(path, { readonly: true });
  try {
    if (versionOf(db) === newestVersion()) return db;
  } catch (error) {
    db.close();
    throw isDamage(error) ? new DamagedCatalogue(path, error) : error;
  }
  db.close();
  throw new Error('The catalogue is of another version of Keen Larder. Start this one once, then try again.');
}

function isDamage(error: unknown): boolean {
  const { code = '' } = error as { code?: string };
  return code.startsWith('SQLITE_CORRUPT') || code === 'SQLITE_NOTADB';
}

/** SQLite's own quick look at all pages. @throws an error as SQLite has them */
export function requireSound(db: Database): void {
  const [first] = db.pragma('quick_check(1)') as { quick_check: string }[];
  if (first && first.quick_check !== 'ok')
    throw Object.assign(new Error(first.quick_check), { code: 'SQLITE_CORRUPT' });
}

const migrationFiles = () =>
  readdirSync(migrations)
    .filter((name) => /^\d{3}-.*\.sql$/.test(name))
    .sort();

/** The version of the catalogue that this program writes. */
export const newestVersion = (): number => migrationFiles().length;

const versionOf = (db: Database) => db.pragma('user_version', { simple: true }) as number;

function migrate(db: Database, beforeMigrating: (db: Database) => void): void {
  const done = versionOf(db);
  const files = migrationFiles();
  if (done > files.length) {
    throw new Error(
      `The catalogue was written by a newer Keen Larder (version ${done}; this one knows ${files.length}). Start that one instead.`,
    );
  }
  if (done > 0 && done < files.length) beforeMigrating(db);
  for (const [i, name] of files.entries()) {
    if (i < done) continue;
    db.transaction(() => {
      db.exec(readFileSync(join(migrations, name), 'utf8'));
      db.pragma(`user_version = ${i + 1}`);
    })();
  }
}
