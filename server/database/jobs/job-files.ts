import Sqlite from 'better-sqlite3';

/** Bytes of files and photos are not for the catalogue, which is copied to the shelf again and again. */
const schema = `
CREATE TABLE IF NOT EXISTS files (
  id       TEXT PRIMARY KEY,
  jobId    TEXT NOT NULL,
  name     TEXT NOT NULL,
  at       INTEGER NOT NULL,
  operator TEXT,
  sha256   BLOB NOT NULL CHECK (length(sha256) = 32),
  content  BLOB NOT NULL
) STRICT;
CREATE INDEX IF NOT EXISTS filesByJob ON files (jobId);
`;

export interface JobFileRow {
  readonly id: string;
  readonly jobId: string;
  readonly name: string;
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly operator: string | null;
  readonly sha256: Buffer;
}

/** Files and photos of job cards. @param path of a database of their own; `:memory:` in tests */
export function jobFileStatements(path: string) {
  const db = new Sqlite(path);
  db.pragma('journal_mode = WAL');
  db.pragma('synchronous = FULL');
  db.exec(schema);
  const add = db.prepare<JobFileRow & { content: Buffer }>(`
    INSERT INTO files (id, jobId, name, at, operator, sha256, content)
    VALUES (@id, @jobId, @name, @at, @operator, @sha256, @content)`);
  const list = db.prepare<[jobId: string], JobFileRow & { bytes: number; head: Buffer }>(`
    SELECT id, jobId, name, at, operator, sha256, length(content) AS bytes, substr(content, 1, 16) AS head
    FROM files WHERE jobId = ? ORDER BY at, id`);
  const one = db.prepare<[id: string, jobId: string], JobFileRow & { content: Buffer }>(
    'SELECT * FROM files WHERE id = ? AND jobId = ?',
  );
  const remove = db.prepare<[id: string, jobId: string]>('DELETE FROM files WHERE id = ? AND jobId = ?');
  const forget = db.prepare<[jobId: string]>('DELETE FROM files WHERE jobId = ?');
  return {
    add: (row: JobFileRow, content: Buffer) => void add.run({ ...row, content }),
    /** With their size and their first bytes, the oldest first. */
    list: (jobId: string) => list.all(jobId),
    one: (jobId: string, id: string) => one.get(id, jobId),
    /** @returns whether there was one */
    remove: (jobId: string, id: string) => remove.run(id, jobId).changes > 0,
    /** Forgets the files of some cards, and leaves nothing of them in the file. */
    shred(ids: readonly string[]): void {
      let gone = 0;
      for (const id of ids) gone += forget.run(id).changes;
      if (gone === 0) return;
      db.exec('VACUUM');
      db.pragma('wal_checkpoint(TRUNCATE)');
    },
    close: () => void db.close(),
  };
}

export type JobFileStatements = ReturnType<typeof jobFileStatements>;
