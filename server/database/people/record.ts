import type { Database } from '../open.ts';

/** Lines that are read at once. */
const page = 1000;

export function recordStatements(db: Database) {
  const last = db.prepare<[], { n: number; line: string }>(
    'SELECT n, line FROM record ORDER BY n DESC LIMIT 1',
  );
  const add = db.prepare<[n: number, line: string]>('INSERT INTO record (n, line) VALUES (?, ?)');
  const newest = db
    .prepare<[before: number, most: number], string>(
      'SELECT line FROM record WHERE n < ? ORDER BY n DESC LIMIT ?',
    )
    .pluck();
  const next = db
    .prepare<[after: number, most: number], string>('SELECT line FROM record WHERE n > ? ORDER BY n LIMIT ?')
    .pluck();
  const addPhone = db.prepare<[serial: string]>('INSERT OR IGNORE INTO recordPhones (serial) VALUES (?)');
  const phone = db.prepare<[serial: string], number>('SELECT ref FROM recordPhones WHERE serial = ?').pluck();
  const serial = db.prepare<[ref: number], string>('SELECT serial FROM recordPhones WHERE ref = ?').pluck();
  return {
    last: () => last.get(),
    add: (n: number, line: string) => void add.run(n, line),
    /** @param before this line; the newest of them first */
    newest: (before: number, most: number) => newest.all(before, most),
    /** From the first on; lines may be added meanwhile. */
    *lines(): Generator<string> {
      for (let after = 0; ; after += page) {
        const some = next.all(after, page);
        yield* some;
        if (some.length < page) return;
      }
    },
    /** What the record calls a phone. */
    phoneRef(of: string): number {
      addPhone.run(of);
      return phone.get(of)!;
    },
    serialOf: (ref: number) => serial.get(ref),
  };
}

export type RecordStatements = ReturnType<typeof recordStatements>;
