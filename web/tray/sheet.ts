import { until, useDebounceFn } from '@vueuse/core';
import { onScopeDispose, ref, shallowRef, watch, type WatchSource } from 'vue';
import type { RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';

/**
 * Keeps a run sheet in step with what it depends on.
 * @param sources whatever the sheet must be computed anew for
 * @param compute asks the server; aborted when overtaken
 */
export function useRunSheet(
  sources: WatchSource[],
  compute: (signal: AbortSignal) => Promise<RunSheet> | undefined,
) {
  const sheet = shallowRef<RunSheet>();
  const error = ref<string>();
  /** The sheet shown is not yet the one for what is picked now. */
  const pending = ref(true);
  let controller = new AbortController();

  let gone = false;
  onScopeDispose(() => {
    gone = true;
    controller.abort();
  });

  const load = useDebounceFn(async () => {
    if (gone) return;
    controller = new AbortController();
    const { signal } = controller;
    try {
      const computed = await compute(signal);
      if (signal.aborted) return;
      sheet.value = computed;
      error.value = undefined;
    } catch (failure) {
      if (signal.aborted) return;
      sheet.value = undefined;
      error.value = (failure as Error).message;
    }
    pending.value = false;
  }, 60);

  watch(
    sources,
    () => {
      pending.value = true;
      // What is on its way is of what was picked before.
      controller.abort();
      void load();
    },
    { immediate: true, deep: true },
  );
  /** Resolves once the sheet shown is the one for what is picked now. */
  const settled = () => until(pending).toBe(false);
  /** What is shown is of something else. */
  const forget = () => {
    sheet.value = undefined;
    error.value = undefined;
  };
  return { sheet, error, settled, forget };
}
