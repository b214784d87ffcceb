import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { AppFacts } from '@keen-larder/core/apps/facts.ts';
import type { AppOrder } from '@keen-larder/core/apps/facets.ts';
import { api } from '../api/client.ts';

/** What is chosen in one phone's list of apps, kept while one looks elsewhere. */
export interface AppsDraft {
  search: string;
  /** As `kind:owner`. */
  facets: string[];
  order: AppOrder;
  descending: boolean;
  /** The package in the tray. */
  shown: string | undefined;
}

/** Apps of the phones that were asked. */
export const useApps = defineStore('apps', () => {
  const lists = shallowRef<Readonly<Record<string, readonly AppFacts[]>>>({});
  const errors = ref<Record<string, string | undefined>>({});
  const busy = ref<Record<string, boolean>>({});
  const drafts = ref<Record<string, AppsDraft>>({});
  const asked: Record<string, number> = {};

  async function load(serial: string): Promise<void> {
    const turn = (asked[serial] = (asked[serial] ?? 0) + 1);
    busy.value[serial] = true;
    try {
      const list = await api.apps(serial);
      if (turn !== asked[serial]) return;
      lists.value = { ...lists.value, [serial]: list };
      errors.value[serial] = undefined;
    } catch (error) {
      if (turn === asked[serial]) errors.value[serial] = (error as Error).message;
    } finally {
      if (turn === asked[serial]) busy.value[serial] = false;
    }
  }

  function draft(serial: string): AppsDraft {
    drafts.value[serial] ??= { search: '', facets: [], order: 'label', descending: false, shown: undefined };
    // What was put in is not what is watched: that is asked for anew.
    return drafts.value[serial]!;
  }

  /** The app in the tray. */
  const inTray = (serial: string): AppFacts | undefined =>
    lists.value[serial]?.find((app) => app.package === drafts.value[serial]?.shown);

  return { lists, errors, busy, load, draft, inTray };
});
