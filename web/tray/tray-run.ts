import { useEventListener } from '@vueuse/core';
import { computed, reactive, ref, watch, type WatchSource } from 'vue';
import type { Put } from '@keen-larder/contract/requests/restoring.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { obstacles, type Mend, type RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { api } from '../api/client.ts';
import { isStartKey } from '../keys.ts';
import { announceError, nowDone } from '../state/notices/notices.ts';
import { usePicks } from '../state/picks.ts';
import { useRuns } from '../state/runs.ts';
import { useRunSheet } from './sheet.ts';

export interface TrayRun {
  /** What is picked and ticked; changed by mends and ticks. */
  readonly picks: () => { picked: string[]; confirmed: string[]; others?: Put[]; armedWith?: string };
  /** The phone that a mend restarts. */
  readonly serial: () => string | undefined;
  /** Whatever the sheet must be computed anew for. */
  readonly sources: WatchSource[];
  /** Asks for the sheet; undefined when there is nothing to ask about. */
  readonly compute: (signal: AbortSignal) => Promise<RunSheet> | undefined;
  /** What must hold besides the checks, such as being armed. */
  readonly isReady?: () => boolean;
  /** @param seen the mark of the sheet that was read */
  readonly begin: (seen: string | undefined) => Promise<RunView>;
  readonly rename?: (label: string) => void;
  /** Has the run restart the phone before it begins. */
  readonly restartFirst?: (into: PhoneMode) => void;
  /** Has programs go along with their data. */
  readonly addPrograms?: () => void;
  /** Has apps copied before anything else. */
  readonly copyFirst?: () => void;
  /** Has data put in place in recovery. */
  readonly throughRecovery?: () => void;
  /** Has data handed over as a backup of the phone's own. */
  readonly throughBackup?: () => void;
  /** Has the run format user data before it puts files back. */
  readonly format?: () => void;
}

/** What every tray with a run sheet does: ticks, mends, the one button, and Ctrl Enter for it. */
export function useTrayRun({
  picks,
  serial,
  sources,
  compute,
  isReady,
  begin,
  rename,
  restartFirst,
  addPrograms,
  throughRecovery,
  throughBackup,
  copyFirst,
  format,
}: TrayRun) {
  const store = usePicks();
  const runs = useRuns();
  const { sheet, error, settled, forget } = useRunSheet(sources, compute);
  // What was found and typed of one phone is never shown, or counts, for another.
  watch(serial, () => {
    forget();
    const own = picks();
    if (own.armedWith) own.armedWith = '';
  });

  /** Nothing of the sheet stands in the way. One that is computed anew meanwhile hides nothing: fields keep their focus. */
  const clear = computed(
    () => sheet.value !== undefined && obstacles(sheet.value, picks().confirmed).length === 0,
  );
  const canStart = computed(() => clear.value && (isReady?.() ?? true));
  const starting = ref(false);

  async function start(): Promise<void> {
    if (!canStart.value || starting.value) return;
    starting.value = true;
    try {
      // A click is not lost because something of the phone changed in that moment, and starts nothing that has not been judged.
      await settled();
      if (!canStart.value) return;
      const run = await begin(sheet.value?.mark);
      nowDone();
      runs.take(run);
      runs.inTray = run.id;
    } catch (failure) {
      announceError(failure);
    } finally {
      starting.value = false;
    }
  }

  function confirm(id: string, isTicked: boolean): void {
    const { confirmed } = picks();
    picks().confirmed = isTicked ? [...confirmed, id] : confirmed.filter((each) => each !== id);
  }

  async function mend(step: Mend): Promise<void> {
    const { picked } = picks();
    switch (step.do) {
      case 'pick':
        return store.set(picks(), [...new Set([...picked, ...step.partitions])]);
      case 'unpick':
        return store.leaveOut(picks(), step.partitions);
      case 'rename':
        return rename?.(step.label);
      case 'format':
        return format?.();
      case 'add-programs':
        return addPrograms?.();
      case 'copy-first':
        return copyFirst?.();
      case 'through-recovery':
        return throughRecovery?.();
      case 'through-backup':
        return throughBackup?.();
      case 'restart-first':
        return restartFirst?.(step.into);
      case 'restart': {
        const phone = serial();
        if (phone) await api.restart(phone, step.into).catch(announceError);
      }
    }
  }

  useEventListener('keydown', (event: KeyboardEvent) => {
    if (isStartKey(event)) void start();
  });

  return { sheet, run: reactive({ sheet, error, clear, canStart, starting, start, confirm, mend }) };
}

/** As a tray shows it. */
export type RunInTray = ReturnType<typeof useTrayRun>['run'];
