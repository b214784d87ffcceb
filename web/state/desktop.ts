import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { runStates } from '../parts/run-words.ts';

/** Notices of the desktop for those who walked away; only when they are wanted and allowed. */
export const useDesktop = defineStore('desktop', () => {
  const wanted = useLocalStorage('keen-larder-desktop-notices', false);
  const isThere = typeof Notification !== 'undefined';

  /** Asks the browser when it has not been asked before. */
  async function want(isWanted: boolean): Promise<void> {
    wanted.value = isWanted && isThere && (await Notification.requestPermission()) === 'granted';
  }

  /** Says that a run has ended, when nobody looks at this page. */
  function runEnded(run: RunView): void {
    if (!wanted.value || !isThere || Notification.permission !== 'granted' || !document.hidden) return;
    const notice = new Notification(`${run.nickname ?? 'Keen Larder'}: ${runStates[run.state]}`, {
      body: `${run.title}. ${run.outcome ?? ''}`,
      tag: run.id,
      icon: '/mark.svg',
    });
    notice.onclick = () => window.focus();
  }

  return { wanted, isThere, want, runEnded };
});
