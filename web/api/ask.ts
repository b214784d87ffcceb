import type { ProblemDetails } from '@keen-larder/contract/problem.ts';

/** An answer of the server that is not what was asked for; the message is for reading. */
export class ApiError extends Error {
  constructor(readonly problem: Pick<ProblemDetails, 'status' | 'detail' | 'obstacles'>) {
    super(problem.detail);
  }
}

let onLockedOut: () => void = () => undefined;

/** Has something done when the server does not know any more who sits here. */
export function whenLockedOut(done: () => void): void {
  onLockedOut = done;
}

async function answered<T>(path: string, init: RequestInit): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(`/api${path}`, init);
  } catch (error) {
    if (init.signal?.aborted) throw error;
    throw new ApiError({
      status: 0,
      detail: 'Keen Larder does not answer. Is it still running on this computer?',
    });
  }
  const text = await answer.text();
  const value: unknown = text ? JSON.parse(text) : undefined;
  if (answer.status === 401) onLockedOut();
  if (!answer.ok) throw new ApiError(value as ProblemDetails);
  return value as T;
}

export const ask = <T>(path: string, method = 'GET', body?: unknown, signal?: AbortSignal): Promise<T> =>
  answered<T>(path, {
    method,
    ...(body !== undefined && {
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    }),
    ...(signal && { signal }),
  });

/** Hands bytes over as they are. */
export const send = <T>(path: string, body: Blob): Promise<T> =>
  answered<T>(path, { method: 'POST', headers: { 'content-type': 'application/octet-stream' }, body });

export const at = encodeURIComponent;
