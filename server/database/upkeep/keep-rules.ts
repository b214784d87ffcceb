import type { KeepRules } from '@keen-larder/core/larder/keep-rules.ts';
import type { Database } from '../open.ts';

/** Rules of one phone; of all of them where the serial is empty. */
export interface KeepRulesRow extends KeepRules {
  readonly serial: string;
}

export function keepRuleStatements(db: Database) {
  const all = db.prepare<[], KeepRulesRow>('SELECT * FROM keepRules ORDER BY serial');
  const save = db.prepare<KeepRulesRow>(`
    INSERT INTO keepRules (serial, newest, months) VALUES (@serial, @newest, @months)
    ON CONFLICT (serial) DO UPDATE SET newest = excluded.newest, months = excluded.months`);
  const remove = db.prepare<[serial: string]>('DELETE FROM keepRules WHERE serial = ?');
  return {
    all: () => all.all(),
    save: (row: KeepRulesRow) => void save.run(row),
    remove: (serial: string) => void remove.run(serial),
  };
}

export type KeepRuleStatements = ReturnType<typeof keepRuleStatements>;
