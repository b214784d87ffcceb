import type { Bench } from '../../bench/bench.ts';
import type { DigestStatements } from '../../database/digests.ts';
import type { PaceStatements } from '../../database/cables.ts';
import type { PhoneStatements } from '../../database/phones.ts';
import type { ReturnStatements } from '../../database/returns.ts';
import type { UnfinishedStatements } from '../../database/unfinished.ts';
import type { Exports } from '../../larder/exports/exports.ts';
import type { Larder } from '../../larder/larder.ts';
import type { RunEngine } from './run-engine.ts';
import type { RetryPolicy } from '../phone/phone-at-work.ts';
import type { RecordSheets } from '../records/record-sheets.ts';
import type { AppSheets } from '../apps/app-sheets.ts';
import type { ImagingSheets } from '../imaging/imaging-sheets.ts';
import type { RestoringSheets } from '../restoring/restoring-sheets.ts';

/** What every kind of run works with. */
export interface RunContext {
  readonly bench: Bench;
  readonly larder: Larder;
  readonly engine: RunEngine;
  readonly imagingSheets: ImagingSheets;
  readonly restoringSheets: RestoringSheets;
  readonly appSheets: AppSheets;
  readonly recordSheets: RecordSheets;
  readonly digests: DigestStatements;
  readonly paces: PaceStatements;
  readonly phones: PhoneStatements;
  readonly returns: ReturnStatements;
  readonly unfinished: UnfinishedStatements;
  readonly retryPolicy: RetryPolicy;
  readonly now: () => number;
  /** How long a phone may take to start after a restore. */
  readonly startLimitMs: number;
  /** Folder that exports go to. */
  readonly exportFolder: string;
  readonly exports: Exports;
}
