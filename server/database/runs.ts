import type { RunLogLine } from '@keen-larder/contract/runs.ts';
import type { PastTransfer } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { Database } from './open.ts';

export interface RunRow {
  readonly id: string;
  readonly kind: string;
  readonly title: string;
  readonly serial: string | null;
  readonly mode: string | null;
  readonly operator: string | null;
  readonly link: string | null;
  readonly setId: string | null;
  readonly state: string;
  readonly startedAt: number;
  readonly endedAt: number | null;
  /** Of the time between, what was spent waiting and paused. */
  readonly idleMs: number;
  readonly doneBytes: number;
  /** Of these, what passed the cable. */
  readonly carriedBytes: number | null;
  readonly outcome: string | null;
  /** JSON: steps and speeds. */
  readonly detail: string;
}

const keptRuns = 500;

export function runStatements(db: Database) {
  const save = db.prepare<RunRow>(`
    INSERT INTO runs (id, kind, title, serial, operator, mode, link, setId, state, startedAt, endedAt, idleMs, doneBytes, carriedBytes, outcome, detail)
    VALUES (@id, @kind, @title, @serial, @operator, @mode, @link, @setId, @state, @startedAt, @endedAt, @idleMs, @doneBytes, @carriedBytes, @outcome, @detail)
    ON CONFLICT (id) DO UPDATE SET setId = excluded.setId, state = excluded.state, startedAt = excluded.startedAt,
      endedAt = excluded.endedAt, idleMs = excluded.idleMs, doneBytes = excluded.doneBytes, carriedBytes = excluded.carriedBytes,
      outcome = excluded.outcome, detail = excluded.detail`);
  const recent = db.prepare<[], RunRow>(`SELECT * FROM runs ORDER BY startedAt DESC, id LIMIT ${keptRuns}`);
  const one = db.prepare<[id: string], RunRow>('SELECT * FROM runs WHERE id = ?');
  const unfinished = db.prepare<[], RunRow>(
    "SELECT * FROM runs WHERE state IN ('queued', 'running', 'paused', 'waiting')",
  );
  const addLine = db.prepare<RunLogLine & { runId: string }>(
    'INSERT INTO runLog (runId, seq, at, level, text) VALUES (@runId, @seq, @at, @level, @text)',
  );
  const log = db.prepare<[runId: string], RunLogLine>(
    'SELECT seq, at, level, text FROM runLog WHERE runId = ? ORDER BY seq',
  );
  const lastLine = db.prepare<[runId: string], { seq: number }>(
    'SELECT coalesce(max(seq), 0) AS seq FROM runLog WHERE runId = ?',
  );
  const ended = db.prepare<[before: number], Pick<RunRow, 'id' | 'serial' | 'startedAt'>>(`
    SELECT id, serial, startedAt FROM runs WHERE endedAt < ?`);
  const remove = db.prepare<[id: string]>('DELETE FROM runs WHERE id = ?');
  const removeAll = db.transaction((ids: readonly string[]) => {
    for (const id of ids) remove.run(id);
  });
  const transfers = db.prepare<[kind: string, serial: string, mode: string, link: string], PastTransfer>(`
    SELECT coalesce(carriedBytes, doneBytes) AS bytes, endedAt - startedAt - idleMs AS elapsedMs FROM runs
    WHERE kind = ? AND serial = ? AND mode = ? AND coalesce(link, '') IN ('', ?) AND state IN ('done', 'incomplete')
    ORDER BY startedAt DESC LIMIT 5`);
  return {
    save: (row: RunRow) => void save.run(row),
    recent: () => recent.all(),
    one: (id: string) => one.get(id),
    unfinished: () => unfinished.all(),
    addLine: (runId: string, line: RunLogLine) => void addLine.run({ runId, ...line }),
    log: (runId: string) => log.all(runId),
    /** Runs that ended before a time. */
    ended: (before: number) => ended.all(before),
    /** With their logs. */
    remove: (ids: readonly string[]) => removeAll(ids),
    lastSeq: (runId: string) => lastLine.get(runId)!.seq,
    transfers: (kind: string, serial: string, mode: string, link: string) =>
      transfers.all(kind, serial, mode, link),
  };
}

export type RunStatements = ReturnType<typeof runStatements>;
