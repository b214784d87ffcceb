import type { Database } from './open.ts';

/** Which shelf a catalogue is of, and of which generation. */
export interface ShelfRow {
  readonly id: string;
  readonly generation: number;
  /** Marks a generation that is on its way to the shelf; null when none is. */
  readonly intent: string | null;
}

export function shelfStatements(db: Database) {
  const row = db.prepare<[], ShelfRow>('SELECT id, generation, intent FROM shelf');
  const clear = db.prepare('DELETE FROM shelf');
  const insert = db.prepare<ShelfRow>(
    'INSERT INTO shelf (id, generation, intent) VALUES (@id, @generation, @intent)',
  );
  const save = db.transaction((of: ShelfRow) => {
    clear.run();
    insert.run(of);
  });
  return {
    row: () => row.get(),
    save: (of: ShelfRow) => save(of),
  };
}

export type ShelfStatements = ReturnType<typeof shelfStatements>;

/** See `LarderTime`. */
export interface LarderTimeRow {
  readonly elapsedMs: number;
  readonly wallAt: number;
}

export function larderTimeStatements(db: Database) {
  const row = db.prepare<[], LarderTimeRow>('SELECT elapsedMs, wallAt FROM larderTime');
  const save = db.prepare<LarderTimeRow>(`
    INSERT INTO larderTime (one, elapsedMs, wallAt) VALUES (1, @elapsedMs, @wallAt)
    ON CONFLICT (one) DO UPDATE SET elapsedMs = excluded.elapsedMs, wallAt = excluded.wallAt`);
  return { row: () => row.get(), save: (of: LarderTimeRow) => void save.run(of) };
}

export type LarderTimeStatements = ReturnType<typeof larderTimeStatements>;
