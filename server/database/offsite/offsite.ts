import type { AloneView, OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import type { Database } from '../open.ts';
import type { HoldingSet } from '../sets.ts';

/** A pack in the bucket, as far as its index was read. */
export interface OffsitePackRow {
  readonly id: number;
  /** Its object. */
  readonly name: string;
  /** Of the object. */
  readonly bytes: number;
}

/** Where a chunk lies in the bucket. */
export interface OffsiteChunkRow {
  readonly digest: Buffer;
  readonly packId: number;
  readonly offset: number;
  readonly storedBytes: number;
  readonly plainBytes: number;
  readonly codec: number;
}

/** Something kept, all of which the bucket had when it was looked at last. */
export interface OffsiteKeptRow {
  readonly kind: string;
  readonly id: string;
  /** Of its manifest on the shelf, as it was when it was sent; empty where the bucket has one, and not all as it is now. */
  readonly stamp: string;
  /** Of its manifest's object. */
  readonly bytes: number;
  readonly since: number;
}

/** A set that lies in a copy alone. */
export type AloneRow = Omit<AloneView, 'bench'>;

/** @param copy which of the copies: what is remembered of the other one is not touched */
export function offsiteStatements(db: Database, copy: OffsiteCopy) {
  const packs = db.prepare<[OffsiteCopy], OffsitePackRow>(
    'SELECT id, name, bytes FROM offsitePacks WHERE copy = ?',
  );
  const addPack = db.prepare<[copy: OffsiteCopy, name: string, bytes: number]>(
    'INSERT INTO offsitePacks (copy, name, bytes) VALUES (?, ?, ?)',
  );
  const addChunk = db.prepare<OffsiteChunkRow>(`
    INSERT INTO offsiteChunks (digest, packId, offset, storedBytes, plainBytes, codec)
    VALUES (@digest, @packId, @offset, @storedBytes, @plainBytes, @codec) ON CONFLICT DO NOTHING`);
  const find = db.prepare<[digest: Uint8Array, copy: OffsiteCopy], OffsiteChunkRow>(`
    SELECT offsiteChunks.* FROM offsiteChunks JOIN offsitePacks ON offsitePacks.id = packId
    WHERE digest = ? AND copy = ? LIMIT 1`);
  const dropPack = db.prepare<[copy: OffsiteCopy, name: string]>(
    'DELETE FROM offsitePacks WHERE copy = ? AND name = ?',
  );
  const kept = db.prepare<[OffsiteCopy], OffsiteKeptRow>(
    'SELECT kind, id, stamp, bytes, since FROM offsiteKept WHERE copy = ?',
  );
  const keep = db.prepare<OffsiteKeptRow & { readonly copy: OffsiteCopy }>(`
    INSERT INTO offsiteKept (copy, kind, id, stamp, bytes, since) VALUES (@copy, @kind, @id, @stamp, @bytes, @since)
    ON CONFLICT (copy, kind, id) DO UPDATE SET stamp = excluded.stamp, bytes = excluded.bytes, since = excluded.since`);
  const drop = db.prepare<[copy: OffsiteCopy, kind: string, id: string]>(
    'DELETE FROM offsiteKept WHERE copy = ? AND kind = ? AND id = ?',
  );
  const clearKept = db.prepare<[OffsiteCopy]>('DELETE FROM offsiteKept WHERE copy = ?');
  const clearChunks = db.prepare<[OffsiteCopy]>(
    'DELETE FROM offsiteChunks WHERE packId IN (SELECT id FROM offsitePacks WHERE copy = ?)',
  );
  const clearPacks = db.prepare<[OffsiteCopy]>('DELETE FROM offsitePacks WHERE copy = ?');
  const alone = db.prepare<[OffsiteCopy], AloneRow>(
    'SELECT * FROM offsiteAlone WHERE copy = ? ORDER BY createdAt DESC',
  );
  const addAlone = db.prepare<AloneRow>(`
    INSERT OR REPLACE INTO offsiteAlone (copy, id, label, serial, nickname, createdAt, bytes, since)
    VALUES (@copy, @id, @label, @serial, @nickname, @createdAt, @bytes, @since)`);
  const dropAlone = db.prepare<[copy: OffsiteCopy, id: string]>(
    'DELETE FROM offsiteAlone WHERE copy = ? AND id = ?',
  );
  const addAloneImages = db.prepare<[setId: string]>(`
    INSERT OR REPLACE INTO offsiteAloneImages (setId, partition, bytes, sha256)
    SELECT setId, partition, bytes, sha256 FROM images WHERE setId = ?`);
  const dropAloneImages = db.prepare<[setId: string, setId: string]>(
    'DELETE FROM offsiteAloneImages WHERE setId = ? AND NOT EXISTS (SELECT 1 FROM offsiteAlone WHERE id = ?)',
  );
  const clear = db.transaction(() => {
    for (const each of [clearKept, clearChunks, clearPacks]) each.run(copy);
  });
  const add = db.transaction(
    (name: string, bytes: number, chunks: readonly Omit<OffsiteChunkRow, 'packId'>[]) => {
      const packId = Number(addPack.run(copy, name, bytes).lastInsertRowid);
      for (const each of chunks) addChunk.run({ ...each, packId });
    },
  );
  const moved = db.transaction((row: AloneRow) => {
    addAlone.run(row);
    addAloneImages.run(row.id);
    drop.run(copy, 'sets', row.id);
  });
  const notAlone = db.transaction((id: string) => {
    dropAlone.run(copy, id);
    dropAloneImages.run(id, id);
  });
  return {
    packs: () => packs.all(copy),
    addPack: (name: string, bytes: number, chunks: readonly Omit<OffsiteChunkRow, 'packId'>[]) =>
      add(name, bytes, chunks),
    /** Where a chunk lies, in one of the packs that are known. */
    find: (digest: Uint8Array) => find.get(digest, copy),
    dropPack: (name: string) => void dropPack.run(copy, name),
    kept: () => kept.all(copy),
    keep: (row: OffsiteKeptRow) => void keep.run({ ...row, copy }),
    /** The bucket may have a manifest of it, which goes with it; it is not off-site as it is now. */
    stale: (kind: string, id: string) => void keep.run({ copy, kind, id, stamp: '', bytes: 0, since: 0 }),
    drop: (kind: string, id: string) => void drop.run(copy, kind, id),
    /** Of another bucket. */
    clear: () => clear(),
    /** Sets that lie there alone. */
    alone: () => alone.all(copy),
    /** From now on a set, which is here still, lies there alone: what is there of it stays, though the larder has it no more. */
    moved: (row: Omit<AloneRow, 'copy'>) => moved({ ...row, copy }),
    notAlone: (id: string) => notAlone(id),
  };
}

export type OffsiteStatements = ReturnType<typeof offsiteStatements>;

/** A copy on another disk was the only one before there could be two: what is remembered of it is of that one. */
export function callItDisk(db: Database): void {
  db.exec("UPDATE offsitePacks SET copy = 'disk'; UPDATE offsiteKept SET copy = 'disk'");
}

/** An image of a set that lies in copies alone. */
export interface AloneImage extends HoldingSet {
  /** In which, with a comma between them. */
  readonly copies: string;
}

/** What sets have that lie in copies alone, and the larder not. */
export function aloneStatements(db: Database) {
  const alone = `
    FROM offsiteAlone WHERE NOT EXISTS (SELECT 1 FROM sets WHERE sets.id = offsiteAlone.id)`;
  const holders = db.prepare<[sha256: Buffer, most: number], AloneImage>(`
    SELECT setId, label, nickname, createdAt, partition, offsiteAloneImages.bytes, sha256, group_concat(copy) AS copies
    FROM offsiteAloneImages JOIN (SELECT * ${alone}) ON id = setId
    WHERE sha256 = ? GROUP BY setId, partition ORDER BY createdAt DESC LIMIT ?`);
  const digests = db.prepare<[], { sha256: Buffer }>('SELECT DISTINCT sha256 FROM offsiteAloneImages');
  const sets = db.prepare<[], Omit<AloneRow, 'copy' | 'bytes' | 'since'> & { readonly copies: string }>(`
    SELECT id, label, serial, nickname, createdAt, group_concat(copy) AS copies ${alone}
    GROUP BY id ORDER BY createdAt DESC`);
  return {
    /** Sets that have an image, the newest first. */
    holders: (sha256: Buffer, most: number) => holders.all(sha256, most),
    digests: () => digests.all().map(({ sha256 }) => sha256),
    sets: () => sets.all(),
  };
}

export type AloneStatements = ReturnType<typeof aloneStatements>;
