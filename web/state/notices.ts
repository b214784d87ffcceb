import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { RunState, RunView } from '@keen-larder/contract/runs.ts';

/** Something said in passing, below the work; what went wrong stays until it is put aside. */
export interface Notice {
  readonly id: number;
  readonly kind: 'good' | 'caution' | 'stop';
  readonly title: string;
  readonly message: string;
  readonly action?: { readonly text: string; readonly run: () => void };
}

const goodMs = 8_000;
const actionMs = 15_000;
const shownAtOnce = 4;

/** How the end of a run is told. */
const endings: Partial<Record<RunState, Pick<Notice, 'kind' | 'title'>>> = {
  done: { kind: 'good', title: 'Done' },
  incomplete: { kind: 'caution', title: 'Not complete' },
  cancelled: { kind: 'caution', title: 'Cancelled' },
  interrupted: { kind: 'stop', title: 'Interrupted' },
  failed: { kind: 'stop', title: 'Did not succeed' },
};

export const useNotices = defineStore('notices', () => {
  const list = ref<Notice[]>([]);
  let nextId = 1;

  function say(notice: Omit<Notice, 'id'>): void {
    const id = nextId++;
    list.value = [...list.value, { ...notice, id }].slice(-shownAtOnce);
    const stays = notice.kind === 'stop' || (notice.kind === 'caution' && !notice.action);
    if (!stays) setTimeout(() => putAside(id), notice.action ? actionMs : goodMs);
  }

  function putAside(id: number): void {
    list.value = list.value.filter((notice) => notice.id !== id);
  }

  /** Says that a run has ended, wherever one is in the interface. */
  function runEnded(run: RunView): void {
    const ending = endings[run.state];
    if (ending) say({ ...ending, message: `${run.title}. ${run.outcome ?? ''}` });
  }

  return { list, say, putAside, runEnded };
});

/** Says that something asked for was not done, and why. */
export function announceError(error: unknown): void {
  useNotices().say({ kind: 'stop', title: 'This was not done', message: (error as Error).message });
}
