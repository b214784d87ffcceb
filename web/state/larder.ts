import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { SetView, ShelfView } from '@keen-larder/contract/sets.ts';
import { api } from '../api/client.ts';

/** Every set, and the shelf they lie on. */
export const useLarder = defineStore('larder', () => {
  const all = ref<SetView[]>([]);
  const shelf = ref<ShelfView>();
  const loaded = ref(false);
  /** Grows whenever something in the larder changed, for views that show details. */
  const version = ref(0);
  let asked = 0;

  const sets = computed(() => all.value.filter(({ binnedAt }) => binnedAt === undefined));
  const binned = computed(() => all.value.filter(({ binnedAt }) => binnedAt !== undefined));

  async function load(): Promise<void> {
    const mine = ++asked;
    const found = await Promise.all([api.sets(), api.shelf()]);
    // Answers may come in another order than they were asked for: the last asked for is the newest.
    if (mine !== asked) return;
    [all.value, shelf.value] = found;
    loaded.value = true;
    version.value++;
  }

  return { all, sets, binned, shelf, loaded, version, load };
});
