import type { ProblemDetails } from '@keen-larder/contract/problem.ts';
import type { Check } from '@keen-larder/core/runsheet/run-sheets.ts';

const titles: Readonly<Record<number, string>> = {
  400: 'The request makes no sense',
  403: 'Not allowed',
  404: 'Not found',
  409: 'Not possible now',
  413: 'Too large',
  422: 'The run cannot start',
  507: 'No space',
  502: 'The phone did not do it',
  500: 'Something went wrong in Keen Larder',
};

/** An error that is told to whoever asked; `detail` says what is wrong and what to do. */
export class Problem extends Error {
  override readonly name = 'Problem';

  constructor(
    readonly status: number,
    readonly detail: string,
    readonly obstacles?: readonly Check[],
  ) {
    super(detail);
  }

  /** The answer's body (RFC 9457). */
  toJSON(): ProblemDetails {
    return {
      type: 'about:blank',
      title: titles[this.status] ?? 'Error',
      status: this.status,
      detail: this.detail,
      ...(this.obstacles && { obstacles: this.obstacles }),
    };
  }
}
