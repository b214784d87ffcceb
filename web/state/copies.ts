import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { CopyView } from '@keen-larder/contract/copies.ts';
import { api } from '../api/client.ts';

/** Every copy of an app, for whoever looks at them. */
export const useCopies = defineStore('copies', () => {
  const all = shallowRef<readonly CopyView[]>([]);
  const loaded = ref(false);
  let asked = 0;

  const kept = computed(() => all.value.filter(({ binnedAt }) => binnedAt === undefined));
  const binned = computed(() => all.value.filter(({ binnedAt }) => binnedAt !== undefined));

  async function load(): Promise<void> {
    const mine = ++asked;
    const found = await api.appCopies();
    if (mine !== asked) return;
    all.value = found;
    loaded.value = true;
  }

  /** Something changed: what was looked at is asked for again. */
  async function refresh(): Promise<void> {
    if (loaded.value) await load();
  }

  return { all, kept, binned, loaded, load, refresh };
});
