import type { Agreed, JobStage } from '@keen-larder/core/jobs/stages.ts';
import type { RunKind, RunState } from './runs.ts';

/** A phone of a job card. */
export interface JobPhone {
  readonly serial: string;
  readonly nickname: string;
  readonly maker: string;
  readonly model: string;
}

/** A job card as a list shows it. */
export interface JobView {
  readonly id: string;
  /** As it stands on paper. */
  readonly number: number;
  /** A place or a name. */
  readonly who: string;
  readonly contact: string;
  /** What is wrong. */
  readonly complaint: string;
  readonly agreed: Agreed;
  /** Its condition on arrival. */
  readonly arrival: string;
  readonly accessories: string;
  readonly stage: JobStage;
  readonly openedAt: number;
  readonly handedOverAt: number | undefined;
  readonly phones: readonly JobPhone[];
}

export interface JobNote {
  readonly id: number;
  readonly at: number;
  readonly text: string;
  /** The operator who wrote it, where one had signed in. */
  readonly by: string | undefined;
}

/** A file or photo of a job card. */
export interface JobFile {
  readonly id: string;
  readonly name: string;
  readonly at: number;
  readonly bytes: number;
  readonly sha256: string;
  /** The operator who added it, where one had signed in. */
  readonly by: string | undefined;
  /** A browser shows it. */
  readonly isPicture: boolean;
}

/** A job card with what was done while it was open. */
export interface JobDetail extends JobView {
  readonly notes: readonly JobNote[];
  readonly files: readonly JobFile[];
  readonly sets: readonly {
    readonly id: string;
    readonly label: string;
    readonly createdAt: number;
    readonly complete: boolean;
  }[];
  readonly runs: readonly {
    readonly id: string;
    readonly kind: RunKind;
    readonly title: string;
    readonly state: RunState;
    readonly startedAt: number;
    readonly hasProof: boolean;
  }[];
  /** Copies of apps and records that were taken. */
  readonly copyCount: number;
  /** How far the work is by what was done, whatever a hand has set. */
  readonly done: JobStage;
  /** What speaks against handing over. */
  readonly beforeHandingOver: readonly string[];
}
