import type { Database } from '../open.ts';

/** An export that was written into a folder. */
export interface ExportRow {
  readonly id: string;
  readonly path: string;
  readonly label: string;
  readonly serial: string;
  readonly nickname: string;
  /** The computer's clock, milliseconds since 1970. */
  readonly madeAt: number;
  readonly isSealed: boolean;
  readonly files: readonly ExportFileRow[];
}

export interface ExportFileRow {
  readonly name: string;
  readonly bytes: number;
  /** Lower-case hexadecimal. */
  readonly sha256: string;
}

type Stored = Omit<ExportRow, 'isSealed' | 'files'> & { readonly isSealed: 0 | 1; readonly files: string };

const read = (row: Stored): ExportRow => ({
  ...row,
  isSealed: row.isSealed === 1,
  files: JSON.parse(row.files) as ExportFileRow[],
});

export function exportStatements(db: Database) {
  const all = db.prepare<[], Stored>('SELECT * FROM exports ORDER BY madeAt DESC, id');
  const one = db.prepare<[id: string], Stored>('SELECT * FROM exports WHERE id = ?');
  const of = db.prepare<[serial: string], Stored>(
    'SELECT * FROM exports WHERE serial = ? ORDER BY madeAt DESC',
  );
  const add = db.prepare<Stored>(`
    INSERT OR REPLACE INTO exports (id, path, label, serial, nickname, madeAt, isSealed, files)
    VALUES (@id, @path, @label, @serial, @nickname, @madeAt, @isSealed, @files)`);
  const remove = db.prepare<[id: string]>('DELETE FROM exports WHERE id = ?');
  return {
    /** The newest first. */
    all: () => all.all().map(read),
    one(id: string): ExportRow | undefined {
      const row = one.get(id);
      return row && read(row);
    },
    ofPhone: (serial: string) => of.all(serial).map(read),
    add: (row: ExportRow) =>
      void add.run({ ...row, isSealed: row.isSealed ? 1 : 0, files: JSON.stringify(row.files) }),
    remove: (id: string) => void remove.run(id),
  };
}

export type ExportStatements = ReturnType<typeof exportStatements>;
