import type { Purpose } from '@keen-larder/core/apps/purposes/purposes.ts';
import type { Database } from '../open.ts';

export function purposeStatements(db: Database) {
  const all = db.prepare<[], Purpose>(
    'SELECT pattern, kind, purpose, dependents, certainty FROM purposes ORDER BY position',
  );
  const clear = db.prepare('DELETE FROM purposes');
  const insert = db.prepare<Purpose & { position: number }>(
    `INSERT INTO purposes (pattern, position, kind, purpose, dependents, certainty)
     VALUES (@pattern, @position, @kind, @purpose, @dependents, @certainty)`,
  );
  const replace = db.transaction((list: readonly Purpose[]) => {
    clear.run();
    for (const [position, each] of list.entries()) insert.run({ ...each, position });
  });
  return { all: (): Purpose[] => all.all(), replace: (list: readonly Purpose[]) => replace(list) };
}

export type PurposeStatements = ReturnType<typeof purposeStatements>;
