import type { Database } from '../open.ts';

/** Times in milliseconds since 1970. */
export interface JobRow {
  readonly id: string;
  readonly number: number;
  readonly who: string;
  readonly contact: string;
  readonly complaint: string;
  /** JSON of `Agreed`. */
  readonly agreed: string;
  readonly arrival: string;
  readonly accessories: string;
  readonly stage: string;
  readonly openedAt: number;
  readonly handedOverAt: number | null;
}

interface JobPhoneRow {
  readonly jobId: string;
  readonly serial: string;
  readonly nickname: string;
  readonly maker: string;
  readonly model: string;
}

interface JobNoteRow {
  readonly id: number;
  readonly at: number;
  readonly text: string;
  readonly operator: string | null;
}

export function jobStatements(db: Database) {
  const all = db.prepare<[], JobRow>('SELECT * FROM jobs ORDER BY openedAt DESC, number DESC');
  const one = db.prepare<[id: string], JobRow>('SELECT * FROM jobs WHERE id = ?');
  const lastNumber = db.prepare<[], number>('SELECT coalesce(max(number), 0) FROM jobs').pluck();
  const save = db.prepare<JobRow>(`
    INSERT INTO jobs (id, number, who, contact, complaint, agreed, arrival, accessories, stage, openedAt, handedOverAt)
    VALUES (@id, @number, @who, @contact, @complaint, @agreed, @arrival, @accessories, @stage, @openedAt, @handedOverAt)
    ON CONFLICT (id) DO UPDATE SET who = excluded.who, contact = excluded.contact, complaint = excluded.complaint,
      agreed = excluded.agreed, arrival = excluded.arrival, accessories = excluded.accessories, stage = excluded.stage,
      handedOverAt = excluded.handedOverAt`);
  const phones = db.prepare<[], JobPhoneRow>(`
    SELECT jobPhones.jobId, phones.serial, phones.nickname, phones.maker, phones.model
    FROM jobPhones JOIN phones ON phones.serial = jobPhones.serial ORDER BY phones.nickname`);
  const dropPhones = db.prepare<[jobId: string]>('DELETE FROM jobPhones WHERE jobId = ?');
  const addPhone = db.prepare<[jobId: string, serial: string]>(
    'INSERT INTO jobPhones (jobId, serial) VALUES (?, ?)',
  );
  const openPhones = db.prepare<[], { serial: string; number: number }>(`
    SELECT jobPhones.serial, jobs.number FROM jobPhones JOIN jobs ON jobs.id = jobPhones.jobId
    WHERE jobs.stage <> 'handed over'`);
  const notes = db.prepare<[jobId: string], JobNoteRow>(
    'SELECT id, at, text, operator FROM jobNotes WHERE jobId = ? ORDER BY at, id',
  );
  const addNote = db.prepare<[jobId: string, at: number, text: string, operator: string | null]>(
    'INSERT INTO jobNotes (jobId, at, text, operator) VALUES (?, ?, ?, ?)',
  );
  const saveAll = db.transaction((row: JobRow, serials: readonly string[] | undefined) => {
    save.run(row);
    if (!serials) return;
    dropPhones.run(row.id);
    for (const serial of serials) addPhone.run(row.id, serial);
  });
  return {
    all: () => all.all(),
    one: (id: string) => one.get(id),
    /** The number that the next card gets. */
    nextNumber: () => lastNumber.get()! + 1,
    /** @param serials its phones; left out where they stay */
    save: (row: JobRow, serials?: readonly string[]) => saveAll(row, serials),
    /** Of all cards. */
    phones: () => phones.all(),
    /** Serials of the phones whose cards are open, each with its card's number. */
    openPhones: (): ReadonlyMap<string, number> =>
      new Map(openPhones.all().map(({ serial, number }) => [serial, number])),
    notes: (jobId: string) => notes.all(jobId),
    addNote: (jobId: string, at: number, text: string, operator: string | undefined) =>
      void addNote.run(jobId, at, text, operator ?? null),
  };
}

export type JobStatements = ReturnType<typeof jobStatements>;
