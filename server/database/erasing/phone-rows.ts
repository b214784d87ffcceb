import type { Database } from '../open.ts';

/** Tables that know a phone by its serial; what hangs on their rows goes with them. */
const tables = [
  'digests',
  'starts',
  'cables',
  'paces',
  'surveys',
  'keepRules',
  'runs',
  'copies',
  'sets',
  'phones',
] as const;

export function phoneRowStatements(db: Database) {
  const drops = tables.map((table) => db.prepare<[serial: string]>(`DELETE FROM ${table} WHERE serial = ?`));
  const runs = db.prepare<[serial: string], { id: string }>('SELECT id FROM runs WHERE serial = ?');
  const erase = db.transaction((serial: string) => {
    for (const drop of drops) drop.run(serial);
  });
  return {
    runs: (serial: string) => runs.all(serial).map(({ id }) => id),
    /** Removes every row of a phone. */
    erase: (serial: string) => erase(serial),
    /** Leaves nothing of what was removed in free pages or in the log beside the file. */
    shred(): void {
      db.exec('VACUUM');
      db.pragma('wal_checkpoint(TRUNCATE)');
    },
  };
}

export type PhoneRowStatements = ReturnType<typeof phoneRowStatements>;
