import type { ProofRow } from '@keen-larder/core/phone/proof.ts';

export type RunKind =
  | 'imaging'
  | 'restoring'
  | 'copying'
  | 'putting-apps'
  | 'changing-apps'
  | 'removing-leftovers'
  | 'installing-waiting'
  | 'putting-shared'
  | 'keeping-records'
  | 'putting-records'
  | 'locking'
  | 'verifying'
  | 'exporting'
  | 'comparing'
  | 'importing'
  | 'rebuilding'
  | 'copying-off-site'
  | 'fetching'
  | 'moving'
  | 'erasing'
  | 'ordering';

/** Runs that change what lies on a phone. */
export const runsThatChange: ReadonlySet<RunKind> = new Set<RunKind>([
  'restoring',
  'putting-apps',
  'changing-apps',
  'removing-leftovers',
  'installing-waiting',
  'putting-shared',
  'putting-records',
  'locking',
]);

/**
 * `queued` begins when the run before it on the same phone has ended well; `waiting` goes on by itself
 * once the phone is back; `incomplete` kept a set, but not all of it came out right; `interrupted` did
 * not end because the program did or the phone stayed away.
 */
export type RunState =
  | 'queued'
  | 'running'
  | 'paused'
  | 'waiting'
  | 'done'
  | 'incomplete'
  | 'failed'
  | 'cancelled'
  | 'interrupted';

/** States of a run that has not ended. */
const liveStates: readonly RunState[] = ['queued', 'running', 'paused', 'waiting'];
export const isLive = ({ state }: { readonly state: RunState }): boolean => liveStates.includes(state);

export type StepState = 'waiting' | 'running' | 'done' | 'failed';

export interface RunStep {
  readonly text: string;
  readonly partition: string | undefined;
  /** The package that it is about. */
  readonly app?: string | undefined;
  readonly bytes: number;
  readonly doneBytes: number;
  readonly state: StepState;
  /** What came of it: a digest, a mode reached. */
  readonly result: string | undefined;
}

export interface RunView {
  readonly id: string;
  readonly kind: RunKind;
  readonly title: string;
  readonly serial: string | undefined;
  readonly nickname: string | undefined;
  /** The operator who started it, where one had signed in. */
  readonly by: string | undefined;
  readonly setId: string | undefined;
  readonly state: RunState;
  readonly startedAt: number;
  readonly endedAt: number | undefined;
  readonly steps: readonly RunStep[];
  readonly bytes: number;
  readonly doneBytes: number;
  /** Over the last few seconds while running, over the whole run afterwards. */
  readonly bytesPerSecond: number;
  readonly leftMs: number | undefined;
  /** What a run that waits is waiting for, and what to do about it. */
  readonly waitingFor: string | undefined;
  /** It can be paused and can go on. */
  readonly canPause: boolean;
  /** What it has of its set is on the shelf, and it can go on from there. */
  readonly canResume: boolean;
  /** What was put back was compared with the phone afterwards. */
  readonly hasProof: boolean;
  /** One sentence: what came of it, or what went wrong and what to do. */
  readonly outcome: string | undefined;
  /** Bytes per second at each second of the run. */
  readonly speeds: readonly number[];
}

/** What the phone has after something was put back, beside what was kept. */
export interface ProofView {
  readonly serial: string;
  readonly nickname: string;
  readonly at: number;
  /** Of the set that most of it came from. */
  readonly setId: string;
  readonly label: string;
  readonly rows: readonly ProofRow[];
  /** Digests that the phone itself computed of what was written, before it started. */
  readonly partitions: readonly {
    readonly partition: string;
    readonly bytes: number;
    readonly sha256: string;
  }[];
}

/** Partitions of a phone that a run began to write and did not prove. */
export interface HalfWrittenView {
  readonly serial: string;
  readonly partitions: readonly string[];
  readonly runId: string;
}

export interface RunLogLine {
  readonly seq: number;
  readonly at: number;
  readonly level: 'info' | 'warning' | 'error';
  readonly text: string;
}
