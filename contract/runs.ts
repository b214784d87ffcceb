export type RunKind = 'imaging' | 'restoring' | 'verifying' | 'exporting' | 'comparing';

/** `interrupted`: the program ended in the middle of it. */
export type RunState = 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted';

export type StepState = 'waiting' | 'running' | 'done' | 'failed';

export interface RunStep {
  readonly text: string;
  readonly partition: string | undefined;
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
  /** One sentence: what came of it, or what went wrong and what to do. */
  readonly outcome: string | undefined;
  /** Bytes per second at each second of the run. */
  readonly speeds: readonly number[];
}

export interface RunLogLine {
  readonly seq: number;
  readonly at: number;
  readonly level: 'info' | 'warning' | 'error';
  readonly text: string;
}
