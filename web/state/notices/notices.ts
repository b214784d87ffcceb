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
  /** What it is about: it goes away once that is over. */
  readonly about?: string;
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

  /** What it was said about is over. */
  function isOver(about: string): void {
    list.value = list.value.filter((notice) => notice.about !== about);
  }

  /**
   * Says that a run has ended, wherever one is in the interface.
   * @param resume goes on with it, where that can be done
   */
  function runEnded(run: RunView, resume?: (id: string) => void): void {
    const ending = endings[run.state];
    if (!ending) return;
    const action = run.canResume && resume && { text: 'Resume', run: () => resume(run.id) };
    const message = `${run.title}. ${run.outcome ?? ''}`;
    say({ ...ending, message, about: workOf(run), ...(action && { action }) });
  }

  return { list, say, putAside, isOver, runEnded };
});

/** A run that goes on with another has its title, and works on the same phone. */
export const workOf = ({ serial, title }: RunView): string => `${serial ?? ''} ${title}`;

const notDone = 'not done';

/** Says that something asked for was not done, and why. */
export function announceError(error: unknown): void {
  const { message } = error as Error;
  useNotices().say({ kind: 'stop', title: 'Not done', message, about: notDone });
}

/** What was not done before has been done now. */
export const nowDone = (): void => useNotices().isOver(notDone);
