import type { PhoneView } from './bench.ts';
import type { RunLogLine, RunView } from './runs.ts';

/** What the server tells without being asked, by name. */
export interface Events {
  /** Sent first when the past cannot be caught up: ask for everything again. */
  hello: { readonly startedAt: number };
  phone: PhoneView;
  run: RunView;
  'run-log': { readonly runId: string; readonly line: RunLogLine };
  /** Sets, labels or the shelf changed. */
  larder: Record<string, never>;
  /** Copies of apps came, went or changed. */
  copies: Record<string, never>;
  /** The off-site copy changed. */
  offsite: Record<string, never>;
  /** A job card was opened or changed. */
  jobs: Record<string, never>;
  /** A way to a phone came, went or changed. */
  connections: Record<string, never>;
  /** Files that can be imported came, went or were looked at. */
  imports: Record<string, never>;
}

export type EventName = keyof Events;
