import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import {
  offsiteCopies,
  type AloneView,
  type OffsiteView,
  type OffsiteViews,
} from '@keen-larder/contract/larder/offsite.ts';
import { api } from '../../api/client.ts';

/** What the copies are called in sentences. */
export const copyNames = { bucket: 'the bucket', disk: 'the second disk' } as const;
export const copyPlaces = { bucket: 'in the bucket', disk: 'on the second disk' } as const;

/** A set that was moved. */
export interface MovedSet extends AloneView {
  readonly places: readonly AloneView[];
}

/** How the copies elsewhere stand, as soon as some view wants to know. */
export const useOffsite = defineStore('offsite', () => {
  const views = shallowRef<OffsiteViews>();
  let asked = 0;

  async function load(): Promise<void> {
    const mine = ++asked;
    const found = await api.offsite();
    // Answers may come in another order than they were asked for.
    if (mine === asked) views.value = found;
  }

  /** Something of it changed. */
  async function refresh(): Promise<void> {
    if (views.value) await load();
  }

  /** How one of them stands now. */
  function take(view: OffsiteView): void {
    if (views.value) views.value = { ...views.value, [view.copy]: view };
  }

  /** Those that are set up. */
  const inUse = computed(() => {
    const found = views.value;
    return found ? offsiteCopies.map((copy) => found[copy]).filter(({ state }) => state !== 'off') : [];
  });
  /** Sets that the larder has no more, with the copies that have them, the newest first. */
  const moved = computed((): readonly MovedSet[] => {
    const byId = new Map<string, MovedSet>();
    for (const set of inUse.value.flatMap((view) => view.alone))
      byId.set(set.id, { ...set, places: [...(byId.get(set.id)?.places ?? []), set] });
    return [...byId.values()].sort((a, b) => b.createdAt - a.createdAt);
  });

  return { views, inUse, moved, load, refresh, take };
});
