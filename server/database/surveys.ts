import type { Database } from './open.ts';

/** What was found out about a phone's tools, in one mode of one build. */
export interface SurveyRow {
  readonly serial: string;
  readonly mode: string;
  readonly build: string;
  /** JSON */
  readonly survey: string;
}

export function surveyStatements(db: Database) {
  const save = db.prepare<SurveyRow>(`
    INSERT INTO surveys (serial, mode, build, survey) VALUES (@serial, @mode, @build, @survey)
    ON CONFLICT (serial, mode, build) DO UPDATE SET survey = excluded.survey`);
  const one = db.prepare<[serial: string, mode: string, build: string], SurveyRow>(
    'SELECT * FROM surveys WHERE serial = ? AND mode = ? AND build = ?',
  );
  return {
    save: (row: SurveyRow) => void save.run(row),
    one: (serial: string, mode: string, build: string) => one.get(serial, mode, build),
  };
}

export type SurveyStatements = ReturnType<typeof surveyStatements>;
