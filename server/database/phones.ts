import { isDiskFull } from '../failures.ts';
import type { Database } from './open.ts';

export interface PhoneRow {
  readonly serial: string;
  readonly maker: string;
  readonly model: string;
  readonly nickname: string;
  readonly lastSeenAt: number;
  /** It is no phone but a model, which firmware is filed under. */
  readonly isModel?: boolean;
}

export interface KnownPhone extends PhoneRow {
  /** When it was last known to wipe its user data. */
  readonly wipedAt: number | null;
}

export interface PhoneWithSets extends PhoneRow {
  readonly newestSetAt: number | null;
  readonly setCount: number;
}

export function phoneStatements(db: Database) {
  const seen = db.prepare<Omit<PhoneRow, 'isModel'> & { isModel: 0 | 1 }>(`
    INSERT INTO phones (serial, maker, model, nickname, lastSeenAt, isModel)
    VALUES (@serial, @maker, @model, @nickname, @lastSeenAt, @isModel)
    ON CONFLICT (serial) DO UPDATE SET lastSeenAt = excluded.lastSeenAt,
      maker = CASE excluded.maker WHEN 'Unknown maker' THEN maker ELSE excluded.maker END,
      model = CASE excluded.maker WHEN 'Unknown maker' THEN model ELSE excluded.model END`);
  const rename = db.prepare<[nickname: string, serial: string]>(
    'UPDATE phones SET nickname = ? WHERE serial = ?',
  );
  const all = db.prepare<[], PhoneWithSets>(`
    SELECT phones.*, max(sets.createdAt) AS newestSetAt, count(sets.id) AS setCount
    FROM phones LEFT JOIN sets ON sets.serial = phones.serial AND sets.binnedAt IS NULL
    WHERE NOT phones.isModel GROUP BY phones.serial ORDER BY phones.nickname`);
  const known = db.prepare<[], Omit<PhoneRow, 'lastSeenAt'>>(
    'SELECT serial, nickname, maker, model FROM phones WHERE NOT isModel ORDER BY nickname',
  );
  const one = db.prepare<[serial: string], KnownPhone>('SELECT * FROM phones WHERE serial = ?');
  const wiped = db.prepare<[at: number, serial: string]>('UPDATE phones SET wipedAt = ? WHERE serial = ?');
  return {
    wiped: (serial: string, at: number) => void wiped.run(at, serial),
    /** Notes that a phone was seen; a nickname given earlier stays. A full disk keeps nobody from a phone that is known. */
    seen: (row: PhoneRow) => {
      try {
        seen.run({ ...row, isModel: row.isModel ? 1 : 0 });
      } catch (error) {
        if (!isDiskFull(error) || !one.get(row.serial)) throw error;
      }
    },
    rename: (serial: string, nickname: string) => rename.run(nickname, serial).changes > 0,
    all: () => all.all(),
    /** All, without what is kept of them. */
    known: () => known.all(),
    one: (serial: string) => one.get(serial),
  };
}

export type PhoneStatements = ReturnType<typeof phoneStatements>;
