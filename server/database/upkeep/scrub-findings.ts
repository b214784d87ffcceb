import type { Database } from '../open.ts';

/** Damage that was found when the shelf was read again. Times in milliseconds since 1970. */
interface ScrubFindingRow {
  readonly id: number;
  readonly at: number;
  readonly chunks: number;
  /** When none of it was damaged any more; null until then. */
  readonly goodAt: number | null;
  /** Why it could not be repaired from off-site. */
  readonly fault: string | null;
}

/** Of sets and copies that a finding hurt, their ids. */
interface Hurt {
  readonly sets: readonly string[];
  readonly copies: readonly string[];
}

export function scrubFindingStatements(db: Database) {
  const insert = db.prepare<Pick<ScrubFindingRow, 'at' | 'chunks'>>(
    'INSERT INTO scrubFindings (at, chunks) VALUES (@at, @chunks)',
  );
  const addSet = db.prepare<[findingId: number, setId: string]>('INSERT INTO scrubFindingSets VALUES (?, ?)');
  const addCopy = db.prepare<[findingId: number, copyId: string]>(
    'INSERT INTO scrubFindingCopies VALUES (?, ?)',
  );
  const fault = db.prepare<[fault: string, id: number]>('UPDATE scrubFindings SET fault = ? WHERE id = ?');
  const good = db.prepare<[at: number]>(
    'UPDATE scrubFindings SET goodAt = ?, fault = NULL WHERE goodAt IS NULL',
  );
  const newest = db.prepare<[limit: number], ScrubFindingRow>(
    'SELECT * FROM scrubFindings ORDER BY at DESC, id DESC LIMIT ?',
  );
  const sets = db.prepare<[findingId: number], { id: string; label: string }>(
    'SELECT id, label FROM scrubFindingSets JOIN sets ON sets.id = setId WHERE findingId = ? ORDER BY createdAt',
  );
  const copies = db.prepare<[findingId: number], { count: number }>(
    'SELECT count(*) AS count FROM scrubFindingCopies WHERE findingId = ?',
  );
  const add = db.transaction((at: number, chunks: number, hurt: Hurt): number => {
    const id = Number(insert.run({ at, chunks }).lastInsertRowid);
    for (const set of hurt.sets) addSet.run(id, set);
    for (const copy of hurt.copies) addCopy.run(id, copy);
    return id;
  });
  return {
    /** @returns the finding's id */
    add: (at: number, chunks: number, hurt: Hurt) => add(at, chunks, hurt),
    fault: (id: number, words: string) => void fault.run(words, id),
    /** Nothing on the shelf is damaged any more. */
    allGood: (at: number) => void good.run(at),
    newest: (limit: number) =>
      newest.all(limit).map((row) => ({
        ...row,
        sets: sets.all(row.id),
        copyCount: copies.get(row.id)!.count,
      })),
  };
}

export type ScrubFindingStatements = ReturnType<typeof scrubFindingStatements>;
