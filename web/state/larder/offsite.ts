import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import type { OffsiteView } from '@keen-larder/contract/larder/offsite.ts';
import { api } from '../../api/client.ts';

/** How the copy off-site stands, as soon as some view wants to know. */
export const useOffsite = defineStore('offsite', () => {
  const view = shallowRef<OffsiteView>();
  let asked = 0;

  async function load(): Promise<void> {
    const mine = ++asked;
    const found = await api.offsite();
    // Answers may come in another order than they were asked for.
    if (mine === asked) view.value = found;
  }

  /** Something of it changed. */
  async function refresh(): Promise<void> {
    if (view.value) await load();
  }

  return { view, load, refresh };
});
