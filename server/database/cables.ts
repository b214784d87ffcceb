import type { Database } from './open.ts';

/** What was measured of a phone's cable. */
export interface CableRow {
  readonly serial: string;
  readonly link: string;
  /** JSON */
  readonly memory: string;
}

export function cableStatements(db: Database) {
  const save = db.prepare<CableRow>(`
    INSERT INTO cables (serial, link, memory) VALUES (@serial, @link, @memory)
    ON CONFLICT (serial, link) DO UPDATE SET memory = excluded.memory`);
  const one = db.prepare<[serial: string, link: string], CableRow>(
    'SELECT * FROM cables WHERE serial = ? AND link = ?',
  );
  return {
    save: (row: CableRow) => void save.run(row),
    one: (serial: string, link: string) => one.get(serial, link),
  };
}

export type CableStatements = ReturnType<typeof cableStatements>;
