import type { Database } from '../open.ts';

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

export function offsiteStatements(db: Database) {
  const packs = db.prepare<[], OffsitePackRow>('SELECT * FROM offsitePacks');
  const addPack = db.prepare<[name: string, bytes: number]>(
    'INSERT INTO offsitePacks (name, bytes) VALUES (?, ?)',
  );
  const addChunk = db.prepare<OffsiteChunkRow>(`
    INSERT INTO offsiteChunks (digest, packId, offset, storedBytes, plainBytes, codec)
    VALUES (@digest, @packId, @offset, @storedBytes, @plainBytes, @codec) ON CONFLICT DO NOTHING`);
  const find = db.prepare<[digest: Uint8Array], OffsiteChunkRow>(
    'SELECT * FROM offsiteChunks WHERE digest = ? LIMIT 1',
  );
  const dropPack = db.prepare<[name: string]>('DELETE FROM offsitePacks WHERE name = ?');
  const kept = db.prepare<[], OffsiteKeptRow>('SELECT * FROM offsiteKept');
  const keep = db.prepare<OffsiteKeptRow>(`
    INSERT INTO offsiteKept (kind, id, stamp, bytes, since) VALUES (@kind, @id, @stamp, @bytes, @since)
    ON CONFLICT (kind, id) DO UPDATE SET stamp = excluded.stamp, bytes = excluded.bytes, since = excluded.since`);
  const drop = db.prepare<[kind: string, id: string]>('DELETE FROM offsiteKept WHERE kind = ? AND id = ?');
  const clear = db.transaction(() => {
    db.exec('DELETE FROM offsiteKept; DELETE FROM offsiteChunks; DELETE FROM offsitePacks');
  });
  const add = db.transaction(
    (name: string, bytes: number, chunks: readonly Omit<OffsiteChunkRow, 'packId'>[]) => {
      const packId = Number(addPack.run(name, bytes).lastInsertRowid);
      for (const each of chunks) addChunk.run({ ...each, packId });
    },
  );
  return {
    packs: () => packs.all(),
    addPack: (name: string, bytes: number, chunks: readonly Omit<OffsiteChunkRow, 'packId'>[]) =>
      add(name, bytes, chunks),
    /** Where a chunk lies, in one of the packs that are known. */
    find: (digest: Uint8Array) => find.get(digest),
    dropPack: (name: string) => void dropPack.run(name),
    kept: () => kept.all(),
    keep: (row: OffsiteKeptRow) => void keep.run(row),
    /** The bucket may have a manifest of it, which goes with it; it is not off-site as it is now. */
    stale: (kind: string, id: string) => void keep.run({ kind, id, stamp: '', bytes: 0, since: 0 }),
    drop: (kind: string, id: string) => void drop.run(kind, id),
    /** Of another bucket. */
    clear: () => clear(),
  };
}

export type OffsiteStatements = ReturnType<typeof offsiteStatements>;
