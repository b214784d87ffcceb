import type { Database } from './open.ts';

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
