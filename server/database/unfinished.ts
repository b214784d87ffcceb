import type { Database } from './open.ts';

/** Chunks of an unfinished image that are on the shelf for good. */
export interface ChunksRow {
  readonly taken: number;
  readonly chunks: Buffer;
}

export interface UnfinishedImageRow {
  readonly partition: string;
  readonly ranges: string | null;
  readonly image: string | null;
}

export function unfinishedStatements(db: Database) {
  const addSet = db.prepare<[runId: string, plan: string]>(
    'INSERT INTO unfinishedSets (runId, plan) VALUES (?, ?)',
  );
  const saveSet = db.prepare<[plan: string, runId: string]>(
    'UPDATE unfinishedSets SET plan = ? WHERE runId = ?',
  );
  const plan = db.prepare<[runId: string], { plan: string }>(
    'SELECT plan FROM unfinishedSets WHERE runId = ?',
  );
  const drop = db.prepare<[runId: string]>('DELETE FROM unfinishedSets WHERE runId = ?');
  const runIds = db.prepare<[], { runId: string }>('SELECT runId FROM unfinishedSets');
  const addImage = db.prepare<[runId: string, partition: string, ranges: string | null]>(
    'INSERT INTO unfinishedImages (runId, partition, ranges) VALUES (?, ?, ?)',
  );
  const dropImage = db.prepare<[runId: string, partition: string]>(
    'DELETE FROM unfinishedImages WHERE runId = ? AND partition = ?',
  );
  const finish = db.prepare<[image: string, runId: string, partition: string]>(
    'UPDATE unfinishedImages SET image = ? WHERE runId = ? AND partition = ?',
  );
  const images = db.prepare<[runId: string], UnfinishedImageRow>(
    'SELECT partition, ranges, image FROM unfinishedImages WHERE runId = ?',
  );
  const addChunks = db.prepare<ChunksRow & { runId: string; partition: string }>(`
    INSERT INTO unfinishedChunks (runId, partition, seq, taken, chunks)
    SELECT @runId, @partition, coalesce(max(seq), 0) + 1, @taken, @chunks FROM unfinishedChunks
    WHERE runId = @runId AND partition = @partition`);
  const chunks = db.prepare<[runId: string, partition: string], ChunksRow>(
    'SELECT taken, chunks FROM unfinishedChunks WHERE runId = ? AND partition = ? ORDER BY seq',
  );
  const allChunks = db.prepare<[], { chunks: Buffer }>('SELECT chunks FROM unfinishedChunks');
  const restart = db.transaction((runId: string, partition: string, ranges: string | null) => {
    dropImage.run(runId, partition);
    addImage.run(runId, partition, ranges);
  });
  const move = ['unfinishedSets', 'unfinishedImages', 'unfinishedChunks'].map((table) =>
    db.prepare<[to: string, from: string]>(`UPDATE ${table} SET runId = ? WHERE runId = ?`),
  );
  const handOver = db.transaction((from: string, to: string) => {
    db.pragma('defer_foreign_keys = ON');
    for (const statement of move) statement.run(to, from);
  });
  return {
    /** What one run left is another run's to go on with. */
    handOver: (from: string, to: string) => handOver(from, to),
    addSet: (runId: string, text: string) => void addSet.run(runId, text),
    saveSet: (runId: string, text: string) => void saveSet.run(text, runId),
    plan: (runId: string) => plan.get(runId)?.plan,
    drop: (runId: string) => void drop.run(runId),
    runIds: () => runIds.all().map((row) => row.runId),
    /** Begins an image; what was kept of it before is forgotten. */
    beginImage: (runId: string, partition: string, ranges: string | null) =>
      restart(runId, partition, ranges),
    finishImage: (runId: string, partition: string, image: string) =>
      void finish.run(image, runId, partition),
    images: (runId: string) => images.all(runId),
    addChunks: (runId: string, partition: string, row: ChunksRow) =>
      void addChunks.run({ runId, partition, ...row }),
    chunks: (runId: string, partition: string) => chunks.all(runId, partition),
    /** Every chunk list, one piece at a time. */
    chunkLists: () => allChunks.iterate(),
  };
}

export type UnfinishedStatements = ReturnType<typeof unfinishedStatements>;
