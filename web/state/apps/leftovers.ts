import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { LeftoverView } from '@keen-larder/contract/copies.ts';
import { api } from '../../api/client.ts';

/** What is picked among one phone's leftovers. */
export interface LeftoversDraft {
  /** Packages. */
  picked: string[];
  keepsFirst: boolean;
  confirmed: string[];
}

/** What removed apps left on the phones that were asked. */
export const useLeftovers = defineStore('leftovers', () => {
  const lists = shallowRef<Readonly<Record<string, readonly LeftoverView[]>>>({});
  const errors = ref<Record<string, string | undefined>>({});
  const drafts = ref<Record<string, LeftoversDraft>>({});

  function draft(serial: string): LeftoversDraft {
    drafts.value[serial] ??= { picked: [], keepsFirst: true, confirmed: [] };
    // What was put in is not what is watched: that is asked for anew.
    return drafts.value[serial];
  }

  async function load(serial: string): Promise<void> {
    try {
      const found = await api.leftovers(serial);
      lists.value = { ...lists.value, [serial]: found };
      errors.value[serial] = undefined;
      const own = draft(serial);
      own.picked = own.picked.filter((name) => found.some((each) => each.package === name));
    } catch (error) {
      errors.value[serial] = (error as Error).message;
    }
  }

  return { lists, errors, draft, load };
});
