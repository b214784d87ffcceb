import type { Database } from '../open.ts';
import { purposeStatements, type PurposeStatements } from './purposes.ts';
import { trackerStatements, type TrackerStatements } from './trackers.ts';

/** What the workshop knows of apps in general, and may change. */
export interface KnownLists {
  readonly trackers: TrackerStatements;
  readonly purposes: PurposeStatements;
}

export const knownLists = (db: Database): KnownLists => ({
  trackers: trackerStatements(db),
  purposes: purposeStatements(db),
});
