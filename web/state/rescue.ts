import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { RepairView, RescueView } from '@keen-larder/contract/rescue.ts';
import { api } from '../api/client.ts';

/** What is wrong with the phones that were looked at, and the repair chosen for each. */
export const useRescue = defineStore('rescue', () => {
  const views = shallowRef<Readonly<Record<string, RescueView>>>({});
  const errors = ref<Record<string, string | undefined>>({});
  /** What is shown is being looked at again. */
  const busy = ref<Record<string, boolean>>({});
  const chosen = ref<Record<string, string | undefined>>({});
  const asked: Record<string, number> = {};

  async function load(serial: string): Promise<void> {
    const turn = (asked[serial] = (asked[serial] ?? 0) + 1);
    busy.value[serial] = true;
    try {
      const view = await api.rescue(serial);
      if (turn !== asked[serial]) return;
      views.value = { ...views.value, [serial]: view };
      errors.value[serial] = undefined;
    } catch (error) {
      if (turn === asked[serial]) errors.value[serial] = (error as Error).message;
    } finally {
      if (turn === asked[serial]) busy.value[serial] = false;
    }
  }

  function choose(serial: string, id: string | undefined): void {
    chosen.value[serial] = id;
  }

  /** The repair in the tray: the one that was chosen, otherwise the smallest that is proposed. */
  function inTray(serial: string): RepairView | undefined {
    const repairs = views.value[serial]?.repairs ?? [];
    return (
      repairs.find(({ id }) => id === chosen.value[serial]) ?? repairs.find(({ isSmallest }) => isSmallest)
    );
  }

  return { views, errors, busy, chosen, load, choose, inTray };
});
