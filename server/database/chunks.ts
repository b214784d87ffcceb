import type { Database } from './open.ts';

/** Where a chunk lies. `digest` is 32 bytes. */
export interface ChunkRow {
  readonly digest: Buffer;
  readonly packId: number;
  readonly offset: number;
  readonly storedBytes: number;
  readonly plainBytes: number;
  readonly codec: number;
}

export interface PackRow {
  readonly id: number;
  readonly name: string;
  readonly bytes: number;
}

export function chunkStatements(db: Database) {
  const addPack = db.prepare<[name: string, bytes: number]>('INSERT INTO packs (name, bytes) VALUES (?, ?)');
  const addChunk = db.prepare<Omit<ChunkRow, never>>(`
    INSERT INTO chunks (digest, packId, offset, storedBytes, plainBytes, codec)
    VALUES (@digest, @packId, @offset, @storedBytes, @plainBytes, @codec)
    ON CONFLICT (digest) DO NOTHING`);
  const moveChunk = db.prepare<ChunkRow>(`
    INSERT INTO chunks (digest, packId, offset, storedBytes, plainBytes, codec)
    VALUES (@digest, @packId, @offset, @storedBytes, @plainBytes, @codec)
    ON CONFLICT (digest) DO UPDATE SET packId = excluded.packId, offset = excluded.offset,
      storedBytes = excluded.storedBytes, codec = excluded.codec`);
  const find = db.prepare<[digest: Uint8Array], ChunkRow>('SELECT * FROM chunks WHERE digest = ?');
  const packs = db.prepare<[], PackRow>('SELECT * FROM packs');
  const inPack = db.prepare<[packId: number], ChunkRow>(
    'SELECT * FROM chunks WHERE packId = ? ORDER BY offset',
  );
  const dropPackChunks = db.prepare<[packId: number]>('DELETE FROM chunks WHERE packId = ?');
  const dropPack = db.prepare<[packId: number]>('DELETE FROM packs WHERE id = ?');
  const stored = db.prepare<[], { bytes: number }>('SELECT coalesce(sum(bytes), 0) AS bytes FROM packs');

  type NewChunk = Omit<ChunkRow, 'packId'>;
  const add = (statement: typeof addChunk) =>
    db.transaction((name: string, bytes: number, chunks: readonly NewChunk[]) => {
      const packId = Number(addPack.run(name, bytes).lastInsertRowid);
      for (const chunk of chunks) statement.run({ ...chunk, packId });
    });
  const addNew = add(addChunk);
  const addMoved = add(moveChunk);
  const removePack = db.transaction((packId: number) => {
    dropPackChunks.run(packId);
    dropPack.run(packId);
  });
  return {
    /** Registers a sealed pack; chunks that are known already keep their place. */
    addPack: (name: string, bytes: number, chunks: readonly NewChunk[]) => addNew(name, bytes, chunks),
    /** Registers a sealed pack whose chunks replace the places known before. */
    movePack: (name: string, bytes: number, chunks: readonly NewChunk[]) => addMoved(name, bytes, chunks),
    find: (digest: Uint8Array) => find.get(digest),
    packs: () => packs.all(),
    inPack: (packId: number) => inPack.all(packId),
    removePack: (packId: number) => removePack(packId),
    storedBytes: () => stored.get()!.bytes,
  };
}

export type ChunkStatements = ReturnType<typeof chunkStatements>;
