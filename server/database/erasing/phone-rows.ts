import type { Database } from '../open.ts';

/** Tables that know a phone by its serial; what hangs on their rows goes with them. */
const tables = [
  'jobPhones',
  'recordPhones',
  'digests',
  'starts',
  'cables',
  'paces',
  'surveys',
  'keepRules',
  'copyRoutines',
  'turnedOff',
  'runs',
  'copies',
  'sets',
  'phones',
] as const;

export function phoneRowStatements(db: Database) {
  const drops = tables.map((table) => db.prepare<[serial: string]>(`DELETE FROM ${table} WHERE serial = ?`));
  /** A card of this phone alone tells of its owner; one of several phones is theirs as well. */
  const ofItsCards = `WHERE id IN (SELECT jobId FROM jobPhones WHERE serial = ?)
      AND (SELECT count(*) FROM jobPhones WHERE jobId = jobs.id) = 1`;
  const cards = db.prepare<[serial: string], string>(`SELECT id FROM jobs ${ofItsCards}`).pluck();
  const dropCards = db.prepare<[serial: string]>(`DELETE FROM jobs ${ofItsCards}`);
  const runs = db.prepare<[serial: string], { id: string }>('SELECT id FROM runs WHERE serial = ?');
  /** Runs over several phones are of none of them. */
  const dropNaming = db.prepare<{ words: string }>(`
    DELETE FROM runs WHERE kind <> 'erasing' AND (instr(title, @words) OR instr(coalesce(outcome, ''), @words)
      OR instr(detail, @words) OR setId = @words
      OR EXISTS (SELECT 1 FROM runLog WHERE runId = runs.id AND instr(text, @words)))`);
  const erase = db.transaction((serial: string, names: readonly string[]) => {
    for (const words of [serial, ...names]) dropNaming.run({ words });
    dropCards.run(serial);
    for (const drop of drops) drop.run(serial);
  });
  return {
    runs: (serial: string) => runs.all(serial).map(({ id }) => id),
    /** Job cards of this phone alone, which go with it. */
    cards: (serial: string) => cards.all(serial),
    /** Removes every row of a phone, and runs that name it. @param names by which they do, besides its serial */
    erase: (serial: string, names: readonly string[]) => erase(serial, names),
    /** Leaves nothing of what was removed in free pages or in the log beside the file. */
    shred(): void {
      db.exec('VACUUM');
      db.pragma('wal_checkpoint(TRUNCATE)');
    },
  };
}

export type PhoneRowStatements = ReturnType<typeof phoneRowStatements>;
