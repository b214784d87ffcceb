import { computed, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { isLive } from '@keen-larder/contract/runs.ts';
import { useRuns } from '../../state/runs.ts';

/** What a page needs to know of a phone that it reads from while its system runs. */
interface FromSystem {
  readonly phone: () => PhoneView;
  /** Without root nothing is read. */
  readonly needsRoot?: boolean;
  /** Reads it, also anew after each run on the phone. */
  readonly load: (serial: string) => Promise<void>;
}

/** Reads something from a phone's running system as soon as it is there, and again whenever a run on it has ended. */
export function useReadFromSystem({ phone, needsRoot = false, load }: FromSystem) {
  const runs = useRuns();
  const serial = computed(() => phone().serial);
  const isThere = computed(() => phone().presence === 'here' && phone().facts?.mode === 'system');
  const hasRoot = computed(() => phone().facts?.root ?? false);
  const ended = computed(() => runs.list.find((run) => run.serial === serial.value && !isLive(run))?.id);
  watch(
    () => [isThere.value && (hasRoot.value || !needsRoot), ended.value] as const,
    ([can]) => {
      if (can) void load(serial.value);
    },
    { immediate: true },
  );
  return { serial, isThere, hasRoot };
}

/** Picks by name: what was ticked of the sheet before does not count for another pick. */
export function usePicking(draft: () => { picked: string[]; confirmed: string[] }) {
  function pick(picked: string[]): void {
    draft().picked = picked;
    draft().confirmed = [];
  }
  function toggle(name: string): void {
    const { picked } = draft();
    pick(picked.includes(name) ? picked.filter((each) => each !== name) : [...picked, name]);
  }
  return { pick, toggle };
}
