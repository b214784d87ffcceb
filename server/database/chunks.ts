import type { Database } from './open.ts';

/** Where a chunk lies. `digest` is 32 bytes. */
export interface ChunkRow {
  readonly digest: Buffer;
  readonly packId: number;
  readonly offset: number;
  readonly storedBytes: number;
  readonly plainBytes: number;
  readonly codec: number;
  /** What is wrong with it; null as far as is known. */
  readonly damage: string | null;
}

export interface PackRow {
  readonly id: number;
  readonly name: string;
  readonly bytes: number;
  /** When it was last read back whole; null for never. */
  readonly checkedAt: number | null;
  /** When its file had been modified by then. */
  readonly modifiedAt: number | null;
}

/** A sealed pack that is to be registered. */
export type NewPack = Omit<PackRow, 'id'>;

/** A pack that was freed, until it is removed. */
export interface FreedPackRow {
  readonly name: string;
  readonly bytes: number;
  /** In the larder's own time. */
  readonly sinceMs: number;
}

/** A chunk in a pack that is to be registered. */
type NewChunk = Omit<ChunkRow, 'packId' | 'damage'>;

export function chunkStatements(db: Database) {
  const addPack = db.prepare<NewPack>(
    'INSERT INTO packs (name, bytes, checkedAt, modifiedAt) VALUES (@name, @bytes, @checkedAt, @modifiedAt)',
  );
  const place =
    'packId = excluded.packId, offset = excluded.offset, storedBytes = excluded.storedBytes, codec = excluded.codec, damage = NULL';
  const insertChunk = `
    INSERT INTO chunks (digest, packId, offset, storedBytes, plainBytes, codec)
    VALUES (@digest, @packId, @offset, @storedBytes, @plainBytes, @codec)
    ON CONFLICT (digest) DO UPDATE SET ${place}`;
  const addChunk = db.prepare<NewChunk & { packId: number }>(
    `${insertChunk} WHERE chunks.damage IS NOT NULL`,
  );
  const moveChunk = db.prepare<NewChunk & { packId: number }>(insertChunk);
  const find = db.prepare<[digest: Uint8Array], ChunkRow>('SELECT * FROM chunks WHERE digest = ?');
  const packs = db.prepare<[], PackRow>('SELECT * FROM packs');
  const pack = db.prepare<[packId: number], PackRow>('SELECT * FROM packs WHERE id = ?');
  const checked = db.prepare<[at: number, modifiedAt: number, packId: number]>(
    'UPDATE packs SET checkedAt = ?, modifiedAt = ? WHERE id = ?',
  );
  const unchecked = db.prepare<[packId: number]>('UPDATE packs SET checkedAt = NULL WHERE id = ?');
  const damagePack = db.prepare<[damage: string | null, packId: number]>(
    'UPDATE chunks SET damage = ? WHERE packId = ?',
  );
  const damageChunk = db.prepare<[damage: string, digest: Uint8Array]>(
    'UPDATE chunks SET damage = ? WHERE digest = ?',
  );
  const damaged = db.prepare<[], Pick<ChunkRow, 'digest'>>(
    'SELECT digest FROM chunks WHERE damage IS NOT NULL',
  );
  const addFreed = db.prepare<FreedPackRow>(
    'INSERT OR REPLACE INTO freedPacks (name, bytes, sinceMs) VALUES (@name, @bytes, @sinceMs)',
  );
  const freed = db.prepare<[], FreedPackRow>('SELECT name, bytes, sinceMs FROM freedPacks ORDER BY sinceMs');
  const dropFreed = db.prepare<[name: string]>('DELETE FROM freedPacks WHERE name = ?');
  const inPack = db.prepare<[packId: number], ChunkRow>(
    'SELECT * FROM chunks WHERE packId = ? ORDER BY offset',
  );
  const dropPackChunks = db.prepare<[packId: number]>('DELETE FROM chunks WHERE packId = ?');
  const dropPack = db.prepare<[packId: number]>('DELETE FROM packs WHERE id = ?');
  /** Packs in which something is sealed and should not be, or the other way, or nothing is any more. */
  const unlike = `
    FROM packs WHERE NOT EXISTS (SELECT 1 FROM chunks WHERE packId = packs.id AND (codec = 2) = :sealed)
      OR EXISTS (SELECT 1 FROM chunks WHERE packId = packs.id AND (codec = 2) <> :sealed)`;
  const unlikeBytes = db.prepare<{ sealed: 0 | 1 }, { bytes: number }>(
    `SELECT coalesce(sum(bytes), 0) AS bytes ${unlike}`,
  );
  const nextUnlike = db.prepare<{ sealed: 0 | 1 }, PackRow>(
    `SELECT * FROM (SELECT * ${unlike}) AS packs
     WHERE NOT EXISTS (SELECT 1 FROM chunks WHERE packId = packs.id AND damage IS NOT NULL) LIMIT 1`,
  );
  const stored = db.prepare<[], { bytes: number }>('SELECT coalesce(sum(bytes), 0) AS bytes FROM packs');

  const add = (statement: typeof addChunk) =>
    db.transaction((of: NewPack, chunks: readonly NewChunk[]) => {
      const packId = Number(addPack.run(of).lastInsertRowid);
      for (const { digest, offset, storedBytes, plainBytes, codec } of chunks)
        statement.run({ digest, offset, storedBytes, plainBytes, codec, packId });
    });
  const addNew = add(addChunk);
  const addMoved = add(moveChunk);
  const packChecked = db.transaction(
    (
      { id, at, modifiedAt }: { readonly id: number; readonly at: number; readonly modifiedAt: number },
      found: readonly { readonly digest: Uint8Array; readonly what: string }[],
    ) => {
      damagePack.run(null, id);
      for (const { digest, what } of found) damageChunk.run(what, digest);
      checked.run(at, modifiedAt, id);
    },
  );
  const packLost = db.transaction((packId: number, what: string) => {
    damagePack.run(what, packId);
    unchecked.run(packId);
  });
  const removePack = db.transaction((packId: number) => {
    dropPackChunks.run(packId);
    dropPack.run(packId);
  });
  return {
    /** Registers a sealed pack; chunks that are known already keep their place, unless they are damaged there. */
    addPack: (of: NewPack, chunks: readonly NewChunk[]) => addNew(of, chunks),
    /** Registers a sealed pack whose chunks replace the places known before. */
    movePack: (of: NewPack, chunks: readonly NewChunk[]) => addMoved(of, chunks),
    find: (digest: Uint8Array) => find.get(digest),
    packs: () => packs.all(),
    pack: (packId: number) => pack.get(packId),
    /** A pack was read back whole: what was found damaged is, and all else is not. */
    packChecked: (
      of: { readonly id: number; readonly at: number; readonly modifiedAt: number },
      found: readonly { readonly digest: Uint8Array; readonly what: string }[],
    ) => packChecked(of, found),
    /** None of a pack's chunks can be read. */
    packLost: (packId: number, what: string) => packLost(packId, what),
    chunkDamaged: (digest: Uint8Array, what: string) => void damageChunk.run(what, digest),
    damaged: () => damaged.all().map(({ digest }) => digest),
    addFreed: (row: FreedPackRow) => void addFreed.run(row),
    freed: () => freed.all(),
    dropFreed: (name: string) => void dropFreed.run(name),
    inPack: (packId: number) => inPack.all(packId),
    removePack: (packId: number) => removePack(packId),
    storedBytes: () => stored.get()!.bytes,
    /** Of packs that are not sealed and should be, or the other way. */
    unlikeBytes: (isSealed: boolean) => unlikeBytes.get({ sealed: isSealed ? 1 : 0 })!.bytes,
    /** The next of them in which nothing is damaged. */
    nextUnlike: (isSealed: boolean) => nextUnlike.get({ sealed: isSealed ? 1 : 0 }),
  };
}

export type ChunkStatements = ReturnType<typeof chunkStatements>;
