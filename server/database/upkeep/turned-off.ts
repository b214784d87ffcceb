import { isDiskFull } from '../../failures.ts';
import type { Database } from '../open.ts';

/** What was off on a phone when its apps were last listed. */
export interface TurnedOffRow {
  readonly serial: string;
  readonly nickname: string;
  readonly at: number;
  /** JSON */
  readonly apps: string;
}

export function turnedOffStatements(db: Database) {
  const save = db.prepare<Pick<TurnedOffRow, 'serial' | 'at' | 'apps'>>(`
    INSERT INTO turnedOff (serial, at, apps) VALUES (@serial, @at, @apps)
    ON CONFLICT (serial) DO UPDATE SET at = excluded.at, apps = excluded.apps`);
  const forget = db.prepare<[serial: string]>('DELETE FROM turnedOff WHERE serial = ?');
  const ofModel = db.prepare<[serial: string], TurnedOffRow>(`
    SELECT turnedOff.serial, other.nickname, turnedOff.at, turnedOff.apps
    FROM turnedOff JOIN phones AS other USING (serial)
    JOIN phones AS own ON own.serial = ? AND own.serial <> other.serial
      AND own.maker = other.maker AND own.model = other.model
    ORDER BY turnedOff.at DESC LIMIT 50`);
  return {
    /** A full disk keeps nobody from the list of a phone's apps. */
    save: (serial: string, at: number, apps: readonly unknown[]) => {
      try {
        if (apps.length > 0) save.run({ serial, at, apps: JSON.stringify(apps) });
        else forget.run(serial);
      } catch (error) {
        if (!isDiskFull(error)) throw error;
      }
    },
    /** Of other phones of the same model. */
    ofModel: (serial: string) => ofModel.all(serial),
  };
}

export type TurnedOffStatements = ReturnType<typeof turnedOffStatements>;
