import type { Database } from './open.ts';

export interface CopyRow {
  readonly id: string;
  /** `app` or `records` */
  readonly kind: string;
  readonly serial: string;
  /** The package, or the kind of records. */
  readonly subject: string;
  readonly note: string;
  readonly createdAt: number;
  readonly addedBytes: number;
  readonly binnedAt: number | null;
  readonly origin: string;
  /** JSON of `CopiedApp` or `CopiedRecords`. */
  readonly facts: string;
}

export interface CopyWithPhone extends CopyRow {
  readonly nickname: string;
}

export interface CopyPartRow {
  readonly copyId: string;
  readonly position: number;
  readonly name: string;
  readonly kind: string;
  readonly bytes: number;
  readonly chunkBytes: number;
  readonly sha256: Buffer;
  readonly chunks: Buffer;
  readonly damage: string | null;
}

/** Parts without their chunk lists. */
export type CopyPartHead = Omit<CopyPartRow, 'chunks'>;

const head = 'copyId, position, name, kind, bytes, chunkBytes, sha256, damage';

export function copyStatements(db: Database) {
  const insertCopy = db.prepare<CopyRow>(`
    INSERT INTO copies (id, kind, serial, subject, note, createdAt, addedBytes, binnedAt, origin, facts)
    VALUES (@id, @kind, @serial, @subject, @note, @createdAt, @addedBytes, @binnedAt, @origin, @facts)`);
  const insertPart = db.prepare<CopyPartRow>(`
    INSERT INTO copyParts (copyId, position, name, kind, bytes, chunkBytes, sha256, chunks, damage)
    VALUES (@copyId, @position, @name, @kind, @bytes, @chunkBytes, @sha256, @chunks, @damage)`);
  const withPhone =
    'SELECT copies.*, phones.nickname FROM copies JOIN phones ON phones.serial = copies.serial';
  const all = db.prepare<[kind: string], CopyWithPhone>(
    `${withPhone} WHERE copies.kind = ? ORDER BY copies.createdAt DESC, copies.subject`,
  );
  const one = db.prepare<[kind: string, id: string], CopyWithPhone>(
    `${withPhone} WHERE copies.kind = ? AND copies.id = ?`,
  );
  const heads = db.prepare<[], CopyPartHead>(`SELECT ${head} FROM copyParts ORDER BY copyId, position`);
  const headsOf = db.prepare<[copyId: string], CopyPartHead>(
    `SELECT ${head} FROM copyParts WHERE copyId = ? ORDER BY position`,
  );
  const part = db.prepare<[copyId: string, name: string], CopyPartRow>(
    'SELECT * FROM copyParts WHERE copyId = ? AND name = ?',
  );
  const chunkLists = db.prepare<[], { chunks: Buffer }>('SELECT chunks FROM copyParts');
  const change = db.prepare<Pick<CopyRow, 'id' | 'note' | 'binnedAt'>>(
    'UPDATE copies SET note = @note, binnedAt = @binnedAt WHERE id = @id',
  );
  const remove = db.prepare<[id: string]>('DELETE FROM copies WHERE id = ?');
  const binned = db.prepare<[kind: string, before: number], { id: string }>(
    'SELECT id FROM copies WHERE kind = ? AND binnedAt IS NOT NULL AND binnedAt <= ?',
  );
  const damage = db.prepare<[damage: string | null, copyId: string, name: string]>(
    'UPDATE copyParts SET damage = ? WHERE copyId = ? AND name = ?',
  );
  const setAside = db.prepare<[name: string, at: number]>(
    'INSERT INTO setAside (package, at) VALUES (?, ?) ON CONFLICT DO NOTHING',
  );
  const takeUp = db.prepare<[name: string]>('DELETE FROM setAside WHERE package = ?');
  const aside = db.prepare<[], { package: string }>('SELECT package FROM setAside ORDER BY package');
  const insert = db.transaction((copy: CopyRow, parts: readonly CopyPartRow[]) => {
    insertCopy.run(copy);
    for (const each of parts) insertPart.run(each);
  });
  return {
    insert: (copy: CopyRow, parts: readonly CopyPartRow[]) => insert(copy, parts),
    all: (kind: string) => all.all(kind),
    one: (kind: string, id: string) => one.get(kind, id),
    heads: () => heads.all(),
    headsOf: (copyId: string) => headsOf.all(copyId),
    part: (copyId: string, name: string) => part.get(copyId, name),
    /** Every chunk list, one part at a time. */
    chunkLists: () => chunkLists.iterate(),
    change: (row: Pick<CopyRow, 'id' | 'note' | 'binnedAt'>) => void change.run(row),
    remove: (id: string) => void remove.run(id),
    binnedBefore: (kind: string, at: number) => binned.all(kind, at).map(({ id }) => id),
    damaged: (copyId: string, name: string, words: string | null) => void damage.run(words, copyId, name),
    setAside: (name: string, at: number) => void setAside.run(name, at),
    takeUp: (name: string) => void takeUp.run(name),
    aside: () => aside.all().map((row) => row.package),
  };
}

export type CopyStatements = ReturnType<typeof copyStatements>;
