import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { runStates } from '../../parts/run-words.ts';

/** Notices of the desktop for those who walked away; only when they are wanted and allowed. */
export const useDesktop = defineStore('desktop', () => {
  const wanted = {
    runs: useLocalStorage('keen-larder-desktop-notices', false),
    due: useLocalStorage('keen-larder-desktop-due', false),
  };
  const isThere = typeof Notification !== 'undefined';

  /** Asks the browser when it has not been asked before. @param about ends of runs, or phones that are due */
  async function want(about: keyof typeof wanted, isWanted: boolean): Promise<void> {
    wanted[about].value = isWanted && isThere && (await Notification.requestPermission()) === 'granted';
  }

  /** When nobody looks at this page. @param tag one notice takes the place of the last with the same */
  function tell(about: keyof typeof wanted, title: string, body: string, tag: string): void {
    const isAllowed = wanted[about].value && isThere && Notification.permission === 'granted';
    if (!isAllowed || !document.hidden) return;
    const notice = new Notification(title, { body, tag, icon: '/mark.svg' });
    notice.onclick = () => window.focus();
  }

  const runEnded = ({ id, nickname, state, title, outcome }: RunView): void =>
    tell('runs', `${nickname ?? 'Keen Larder'}: ${runStates[state]}`, `${title}. ${outcome ?? ''}`, id);

  /** A phone that is here should be kept again. @param why as `whyDue` says it */
  const phoneDue = ({ serial, nickname }: PhoneView, why: string): void =>
    tell('due', `${nickname} is due`, `Keep it while it is here: ${why}.`, `due ${serial}`);

  return { wantsRuns: wanted.runs, wantsDue: wanted.due, isThere, want, runEnded, phoneDue };
});
