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
  /** In the bin since, in the larder's own time. */
  readonly binnedMs: number | null;
  readonly origin: string;
  /** JSON of `CopiedApp` or `CopiedRecords`. */
  readonly facts: string;
  /** The operator who kept it. */
  readonly keptBy: string | null;
}

export type CopyChangeRow = Pick<CopyRow, 'id' | 'note' | 'binnedAt' | 'binnedMs'>;

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

/** A folder of an app as it was copied, whose names of files may be written down. */
export interface NamedPart {
  readonly copyId: string;
  readonly name: string;
  readonly sha256: Buffer;
}

/** A copy that has a part, and of which app it is. */
export interface HoldingCopy {
  readonly copyId: string;
  readonly name: string;
  readonly label: string;
  readonly nickname: string;
  readonly createdAt: number;
}

/** Parts without their chunk lists. */
export type CopyPartHead = Omit<CopyPartRow, 'chunks'>;

const head = 'copyId, position, name, kind, bytes, chunkBytes, sha256, damage';

export function copyStatements(db: Database) {
  const insertCopy = db.prepare<CopyRow>(`
    INSERT INTO copies (id, kind, serial, subject, note, createdAt, addedBytes, binnedAt, binnedMs, origin, facts, keptBy)
    VALUES (@id, @kind, @serial, @subject, @note, @createdAt, @addedBytes, @binnedAt, @binnedMs, @origin, @facts, @keptBy)`);
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
  const change = db.prepare<CopyChangeRow>(`
    UPDATE copies SET note = @note, binnedAt = @binnedAt, binnedMs = @binnedMs, changing = 0 WHERE id = @id`);
  const changing = db.prepare<[id: string]>('UPDATE copies SET changing = 1 WHERE id = ?');
  const changingIds = db.prepare<[kind: string], { id: string }>(
    'SELECT id FROM copies WHERE kind = ? AND changing = 1',
  );
  const remove = db.prepare<[id: string]>('DELETE FROM copies WHERE id = ?');
  const binned = db.prepare<[kind: string, beforeMs: number], { id: string }>(
    'SELECT id FROM copies WHERE kind = ? AND binnedMs IS NOT NULL AND binnedMs <= ?',
  );
  const damagedParts = db.prepare<[], Pick<CopyPartRow, 'copyId' | 'name' | 'chunks'>>(
    'SELECT copyId, name, chunks FROM copyParts WHERE damage IS NOT NULL',
  );
  const damage = db.prepare<[damage: string | null, copyId: string, name: string]>(
    'UPDATE copyParts SET damage = ? WHERE copyId = ? AND name = ?',
  );
  const namedParts = db.prepare<[], NamedPart>(`
    SELECT copyId, copyParts.name, sha256 FROM copyParts JOIN copies ON copies.id = copyParts.copyId
    WHERE copies.kind = 'app' AND copyParts.kind <> 'program' GROUP BY sha256`);
  const holders = db.prepare<[sha256: Buffer, most: number], HoldingCopy>(`
    SELECT copyId, copyParts.name, copies.facts ->> '$.label' AS label, phones.nickname, copies.createdAt
    FROM copyParts JOIN copies ON copies.id = copyParts.copyId JOIN phones ON phones.serial = copies.serial
    WHERE copyParts.sha256 = ? AND copies.kind = 'app' AND copies.binnedAt IS NULL ORDER BY copies.createdAt DESC LIMIT ?`);
  const programs = db.prepare<[sha256: Buffer], CopyPartRow>(`
    SELECT copyParts.* FROM copyParts JOIN copies ON copies.id = copyParts.copyId
    WHERE copyParts.sha256 = ? AND copyParts.kind = 'program' AND damage IS NULL ORDER BY copies.createdAt DESC LIMIT 3`);
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
    programs: (sha256: Buffer) => programs.all(sha256),
    heads: () => heads.all(),
    headsOf: (copyId: string) => headsOf.all(copyId),
    part: (copyId: string, name: string) => part.get(copyId, name),
    /** Every chunk list, one part at a time. */
    chunkLists: () => chunkLists.iterate(),
    change: (row: CopyChangeRow) => void change.run(row),
    /** Its manifest is being changed, and the catalogue is not yet. */
    changing: (id: string) => void changing.run(id),
    changingIds: (kind: string) => changingIds.all(kind).map(({ id }) => id),
    remove: (id: string) => void remove.run(id),
    /** @param ms of the larder's own time */
    binnedBefore: (kind: string, ms: number) => binned.all(kind, ms).map(({ id }) => id),
    damagedParts: () => damagedParts.all(),
    damaged: (copyId: string, name: string, words: string | null) => void damage.run(words, copyId, name),
    namedParts: () => namedParts.all(),
    /** The newest first; none that is in the bin. */
    holders: (sha256: Buffer, most: number) => holders.all(sha256, most),
    setAside: (name: string, at: number) => void setAside.run(name, at),
    takeUp: (name: string) => void takeUp.run(name),
    aside: () => aside.all().map((row) => row.package),
  };
}

export type CopyStatements = ReturnType<typeof copyStatements>;
