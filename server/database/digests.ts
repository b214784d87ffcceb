import type { Database } from './open.ts';

/** What a partition of a phone digested to, and when. */
export interface DigestRow {
  readonly serial: string;
  readonly partition: string;
  readonly sha256: Buffer;
  readonly at: number;
}

export function digestStatements(db: Database) {
  const save = db.prepare<DigestRow>(`
    INSERT INTO digests (serial, partition, sha256, at) VALUES (@serial, @partition, @sha256, @at)
    ON CONFLICT (serial, partition) DO UPDATE SET sha256 = excluded.sha256, at = excluded.at`);
  const forget = db.prepare<[serial: string, partition: string]>(
    'DELETE FROM digests WHERE serial = ? AND partition = ?',
  );
  const ofPhone = db.prepare<[serial: string], DigestRow>('SELECT * FROM digests WHERE serial = ?');
  return {
    save: (row: DigestRow) => void save.run(row),
    forget: (serial: string, partition: string) => void forget.run(serial, partition),
    ofPhone: (serial: string) => ofPhone.all(serial),
  };
}

export type DigestStatements = ReturnType<typeof digestStatements>;
