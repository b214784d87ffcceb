import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';

export type Database = Sqlite.Database;

const migrations = join(import.meta.dirname, 'migrations');

/** Opens the catalogue and brings its tables up to date. @param path a file, or `:memory:` */
export function openDatabase(path: string): Database {
  const db = new Sqlite(path);
  db.pragma('journal_mode = WAL');
  db.pragma('synchronous = FULL');
  db.pragma('foreign_keys = ON');
  migrate(db);
  return db;
}

function migrate(db: Database): void {
  const done = db.pragma('user_version', { simple: true }) as number;
  const files = readdirSync(migrations)
    .filter((name) => /^\d{3}-.*\.sql$/.test(name))
    .sort();
  if (done > files.length) {
    throw new Error(
      `The catalogue was written by a newer Keen Larder (version ${done}; this one knows ${files.length}). Start that one instead.`,
    );
  }
  for (const [i, name] of files.entries()) {
    if (i < done) continue;
    db.transaction(() => {
      db.exec(readFileSync(join(migrations, name), 'utf8'));
      db.pragma(`user_version = ${i + 1}`);
    })();
  }
}
