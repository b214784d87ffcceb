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

/** How fast a partition was last kept again, or put back, over a cable: bytes of all of it in a second. */
export interface PaceRow {
  readonly serial: string;
  readonly partition: string;
  /** The link's description. */
  readonly link: string;
  readonly direction: 'read' | 'write';
  readonly bytesPerSecond: number;
}

export function paceStatements(db: Database) {
  const save = db.prepare<PaceRow>(`
    INSERT INTO paces (serial, partition, link, direction, bytesPerSecond)
    VALUES (@serial, @partition, @link, @direction, @bytesPerSecond)
    ON CONFLICT (serial, partition, link, direction) DO UPDATE SET bytesPerSecond = excluded.bytesPerSecond`);
  const all = db.prepare<[serial: string, link: string, direction: string], PaceRow>(
    'SELECT * FROM paces WHERE serial = ? AND link = ? AND direction = ?',
  );
  return {
    save: (row: PaceRow) => void save.run(row),
    /** By partition. */
    of: (serial: string, link: string, direction: PaceRow['direction']): ReadonlyMap<string, number> =>
      new Map(all.all(serial, link, direction).map((row) => [row.partition, row.bytesPerSecond])),
  };
}

export type PaceStatements = ReturnType<typeof paceStatements>;
