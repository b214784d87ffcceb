import type { Check } from '@keen-larder/core/runsheet/run-sheets.ts';

/** Errors as the server answers them (RFC 9457, application/problem+json). */
export interface ProblemDetails {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  /** What is wrong and what to do. */
  readonly detail: string;
  /** Checks that stand in the way of a run. */
  readonly obstacles?: readonly Check[];
}
