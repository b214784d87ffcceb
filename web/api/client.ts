import type { PartitionView, PhoneView } from '@keen-larder/contract/bench.ts';
import type { PracticeAction } from '@keen-larder/contract/requests.ts';
import type { PracticePhone, PracticeView } from '@keen-larder/contract/practice.ts';
import type { ProblemDetails } from '@keen-larder/contract/problem.ts';
import type {
  ExportRequest,
  ImagingRequest,
  ImagingStart,
  RestoringRequest,
  RestoringStart,
  SetChange,
} from '@keen-larder/contract/requests.ts';
import type { RunLogLine, RunView } from '@keen-larder/contract/runs.ts';
import type { SetDetail, SetView, ShelfView } from '@keen-larder/contract/sets.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { RunSheet } from '@keen-larder/core/runsheet/index.ts';

/** An answer of the server that is not what was asked for; the message is for reading. */
export class ApiError extends Error {
  constructor(readonly problem: Pick<ProblemDetails, 'status' | 'detail' | 'obstacles'>) {
    super(problem.detail);
  }
}

async function ask<T>(path: string, method = 'GET', body?: unknown, signal?: AbortSignal): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(`/api${path}`, {
      method,
      ...(body !== undefined && {
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      }),
      ...(signal && { signal }),
    });
  } catch (error) {
    if (signal?.aborted) throw error;
    throw new ApiError({
      status: 0,
      detail: 'Keen Larder does not answer. Is it still running on this computer?',
    });
  }
  const text = await answer.text();
  const value: unknown = text ? JSON.parse(text) : undefined;
  if (!answer.ok) throw new ApiError(value as ProblemDetails);
  return value as T;
}

const at = encodeURIComponent;

/** Everything the interface asks of the server. */
export const api = {
  about: () => ask<{ practice: boolean }>('/about'),

  phones: () => ask<PhoneView[]>('/phones'),
  partitions: (serial: string) => ask<PartitionView[]>(`/phones/${at(serial)}/partitions`),
  renamePhone: (serial: string, nickname: string) =>
    ask<PhoneView>(`/phones/${at(serial)}`, 'PATCH', { nickname }),
  compare: (serial: string, picked?: string[]) =>
    ask<RunView>(`/phones/${at(serial)}/comparing`, 'POST', picked ? { picked } : {}),
  restart: (serial: string, into: PhoneMode) =>
    ask<PhoneView>(`/phones/${at(serial)}/restart`, 'POST', { into }),
  imagingSheet: (serial: string, request: ImagingRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/imaging-sheet`, 'POST', request, signal),
  startImaging: (serial: string, start: ImagingStart) =>
    ask<RunView>(`/phones/${at(serial)}/imaging`, 'POST', start),

  shelf: () => ask<ShelfView>('/shelf'),
  sets: () => ask<SetView[]>('/sets'),
  set: (id: string) => ask<SetDetail>(`/sets/${at(id)}`),
  changeSet: (id: string, change: SetChange) => ask<SetDetail>(`/sets/${at(id)}`, 'PATCH', change),
  emptyBin: () => ask<{ removed: number; freedBytes: number }>('/bin/empty', 'POST', {}),
  verify: (id: string) => ask<RunView>(`/sets/${at(id)}/verifying`, 'POST', {}),
  exportToFolder: (id: string, request: ExportRequest) =>
    ask<RunView>(`/sets/${at(id)}/exporting`, 'POST', request),
  restoringSheet: (id: string, request: RestoringRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/sets/${at(id)}/restoring-sheet`, 'POST', request, signal),
  startRestoring: (id: string, start: RestoringStart) =>
    ask<RunView>(`/sets/${at(id)}/restoring`, 'POST', start),

  runs: () => ask<RunView[]>('/runs'),
  runLog: (id: string) => ask<RunLogLine[]>(`/runs/${at(id)}/log`),
  cancel: (id: string) => ask<RunView>(`/runs/${at(id)}/cancel`, 'POST', {}),

  practice: () => ask<PracticeView>('/practice'),
  act: (serial: string, action: PracticeAction) =>
    ask<PracticePhone>(`/practice/${at(serial)}`, 'POST', action),
};

/** Addresses of downloads. */
export const downloads = {
  /** One archive of the set, whatever the form of its images. */
  set: (id: string, { form, packing, splitMebibytes, picked }: ExportRequest) => {
    const query = new URLSearchParams({ form, packing });
    if (splitMebibytes) query.set('splitMebibytes', String(splitMebibytes));
    if (picked) query.set('picked', picked.join(','));
    return `/api/sets/${at(id)}/export?${query}`;
  },
  raw: (id: string, partition: string) => `/api/sets/${at(id)}/images/${at(partition)}/raw`,
};
