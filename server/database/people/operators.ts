import type { OperatorRole } from '@keen-larder/contract/people.ts';
import type { Database } from '../open.ts';

/** Times in milliseconds since 1970. */
export interface OperatorRow {
  readonly id: number;
  readonly name: string;
  readonly role: OperatorRole;
  /** JSON of scrypt's salt, cost and key. */
  readonly passphrase: string;
  readonly createdAt: number;
}

export interface SessionRow {
  readonly operatorId: number;
  readonly beganAt: number;
  readonly seenAt: number;
}

export function operatorStatements(db: Database) {
  const all = db.prepare<[], OperatorRow & { lastSeenAt: number | null }>(`
    SELECT id, name, role, passphrase, createdAt, (SELECT max(seenAt) FROM sessions WHERE operatorId = operators.id) AS lastSeenAt
    FROM operators WHERE endedAt IS NULL ORDER BY name COLLATE NOCASE`);
  const one = db.prepare<[id: number], OperatorRow>(
    'SELECT id, name, role, passphrase, createdAt FROM operators WHERE id = ? AND endedAt IS NULL',
  );
  const named = db.prepare<[name: string], OperatorRow>(
    'SELECT id, name, role, passphrase, createdAt FROM operators WHERE name = ? COLLATE NOCASE AND endedAt IS NULL',
  );
  const any = db.prepare<[], number>('SELECT count(*) FROM operators WHERE endedAt IS NULL').pluck();
  const add = db.prepare<Omit<OperatorRow, 'id'>>(
    'INSERT INTO operators (name, role, passphrase, createdAt) VALUES (@name, @role, @passphrase, @createdAt)',
  );
  const change = db.prepare<Pick<OperatorRow, 'id' | 'role' | 'passphrase'>>(
    'UPDATE operators SET role = @role, passphrase = @passphrase WHERE id = @id',
  );
  const end = db.prepare<[at: number, id: number]>('UPDATE operators SET endedAt = ? WHERE id = ?');
  const session = db.prepare<[digest: Uint8Array], SessionRow>(
    'SELECT operatorId, beganAt, seenAt FROM sessions WHERE digest = ?',
  );
  const begin = db.prepare<SessionRow & { digest: Uint8Array }>(
    'INSERT INTO sessions (digest, operatorId, beganAt, seenAt) VALUES (@digest, @operatorId, @beganAt, @seenAt)',
  );
  const seen = db.prepare<[at: number, digest: Uint8Array]>(
    'UPDATE sessions SET seenAt = ? WHERE digest = ?',
  );
  const drop = db.prepare<[digest: Uint8Array]>('DELETE FROM sessions WHERE digest = ?');
  const sessionsOf = db
    .prepare<[operatorId: number], Buffer>('SELECT digest FROM sessions WHERE operatorId = ?')
    .pluck();
  const dropOld = db.prepare<[beganBefore: number, seenBefore: number]>(
    'DELETE FROM sessions WHERE beganAt < ? OR seenAt < ?',
  );
  return {
    /** Who works here, by name. */
    all: () => all.all(),
    one: (id: number) => one.get(id),
    named: (name: string) => named.get(name),
    count: () => any.get()!,
    add: (row: Omit<OperatorRow, 'id'>) => Number(add.run(row).lastInsertRowid),
    change: (row: Pick<OperatorRow, 'id' | 'role' | 'passphrase'>) => void change.run(row),
    end: (id: number, at: number) => void end.run(at, id),
    session: (digest: Uint8Array) => session.get(digest),
    beginSession: (digest: Uint8Array, row: SessionRow) => void begin.run({ digest, ...row }),
    seen: (digest: Uint8Array, at: number) => void seen.run(at, digest),
    dropSession: (digest: Uint8Array) => void drop.run(digest),
    sessionsOf: (operatorId: number) => sessionsOf.all(operatorId),
    dropOldSessions: (beganBefore: number, seenBefore: number) => void dropOld.run(beganBefore, seenBefore),
  };
}

export type OperatorStatements = ReturnType<typeof operatorStatements>;
