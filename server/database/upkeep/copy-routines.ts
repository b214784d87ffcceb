import type { Database } from '../open.ts';

/** A phone whose apps are copied by themselves. */
export interface CopyRoutineRow {
  readonly serial: string;
  readonly at: number | null;
  readonly said: string | null;
}

export function copyRoutineStatements(db: Database) {
  const all = db.prepare<[], CopyRoutineRow>('SELECT serial, at, said FROM copyRoutines');
  const one = db.prepare<[serial: string], CopyRoutineRow>(
    'SELECT serial, at, said FROM copyRoutines WHERE serial = ?',
  );
  const begin = db.prepare<[serial: string]>(
    'INSERT INTO copyRoutines (serial) VALUES (?) ON CONFLICT DO NOTHING',
  );
  const end = db.prepare<[serial: string]>('DELETE FROM copyRoutines WHERE serial = ?');
  const say = db.prepare<[at: number | null, said: string, serial: string]>(
    'UPDATE copyRoutines SET at = coalesce(?, at), said = ? WHERE serial = ?',
  );
  return {
    all: () => all.all(),
    one: (serial: string) => one.get(serial),
    begin: (serial: string) => void begin.run(serial),
    end: (serial: string) => void end.run(serial),
    /** @param at when it was gone through; undefined where it was put off */
    say: (serial: string, at: number | undefined, said: string) => void say.run(at ?? null, said, serial),
  };
}

export type CopyRoutineStatements = ReturnType<typeof copyRoutineStatements>;
