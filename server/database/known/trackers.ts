import type { Tracker } from '@keen-larder/core/apps/trackers.ts';
import type { Database } from '../open.ts';

interface Row {
  readonly name: string;
  readonly purpose: string;
  /** JSON */
  readonly prefixes: string;
}

export function trackerStatements(db: Database) {
  const all = db.prepare<[], Row>('SELECT name, purpose, prefixes FROM trackers ORDER BY position');
  const clear = db.prepare('DELETE FROM trackers');
  const insert = db.prepare<Row & { position: number }>(
    'INSERT INTO trackers (name, position, purpose, prefixes) VALUES (@name, @position, @purpose, @prefixes)',
  );
  const replace = db.transaction((list: readonly Tracker[]) => {
    clear.run();
    for (const [position, { name, purpose, prefixes }] of list.entries())
      insert.run({ name, position, purpose, prefixes: JSON.stringify(prefixes) });
  });
  return {
    all: (): Tracker[] =>
      all.all().map((row) => ({ ...row, prefixes: JSON.parse(row.prefixes) as readonly string[] })),
    replace: (list: readonly Tracker[]) => replace(list),
  };
}

export type TrackerStatements = ReturnType<typeof trackerStatements>;
