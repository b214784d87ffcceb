import type { RunKind, RunStep } from '@keen-larder/contract/runs.ts';

/** What is said of a run that did not come to its end, by its kind. */
export interface KindOfRun {
  /** What the end of the program left, and what to do. @param at the step that it was at */
  interrupted?(left: { readonly at: RunStep | undefined; readonly canResume: boolean }): string;
  /** What cancelling left, and what to do. @param at the step that it was at */
  cancelled?(at: RunStep | undefined): string;
  /** Cancelled by hand, it cannot be resumed: what it had written down is dropped. */
  readonly isGoneWhenCancelled?: boolean;
}

export type KindsOfRun = Readonly<Record<RunKind, KindOfRun>>;
