import { defineStore } from 'pinia';
import { useIntervalFn } from '@vueuse/core';
import { computed, ref, shallowRef } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { SetChanges, SetView, ShelfView } from '@keen-larder/contract/sets.ts';
import { whyDue } from '@keen-larder/core/larder/due.ts';
import { api } from '../api/client.ts';

/** The newest first. */
function merged(before: readonly SetView[], { sets, removed }: SetChanges): readonly SetView[] {
  if (sets.length === 0 && removed.length === 0) return before;
  const gone = new Set([...removed, ...sets.map(({ id }) => id)]);
  return [...before.filter(({ id }) => !gone.has(id)), ...sets].sort(
    (a, b) => b.createdAt - a.createdAt || (a.id < b.id ? -1 : 1),
  );
}

/** Every set, and the shelf they lie on. */
export const useLarder = defineStore('larder', () => {
  const all = shallowRef<readonly SetView[]>([]);
  /** Of what was told last. */
  let revision: number | undefined;
  const shelf = ref<ShelfView>();
  const loaded = ref(false);
  /** Grows whenever something in the larder changed, for views that show details. */
  const version = ref(0);
  let asked = 0;
  const now = ref(Date.now());
  useIntervalFn(() => (now.value = Date.now()), 60_000);

  const sets = computed(() => all.value.filter(({ binnedAt }) => binnedAt === undefined));
  /** Those of phones, and firmware, which is of models. */
  const ofPhones = computed(() => sets.value.filter(({ firmware: isFirmware }) => !isFirmware));
  const firmware = computed(() => sets.value.filter(({ firmware: isFirmware }) => isFirmware));
  /** Taken from each phone. */
  const newestOf = computed(() => {
    const newest = new Map<string, SetView>();
    for (const set of sets.value)
      if (!set.imported && set.createdAt > (newest.get(set.serial)?.createdAt ?? -1))
        newest.set(set.serial, set);
    return newest;
  });
  const binned = computed(() => all.value.filter(({ binnedAt }) => binnedAt !== undefined));

  /** Why a phone should be kept again; undefined where it need not. */
  function dueOf({ serial, facts, presence }: PhoneView): string | undefined {
    if (!loaded.value || !shelf.value) return undefined;
    const newest = newestOf.value.get(serial);
    const found = {
      keptAt: newest?.createdAt,
      kept: newest?.condition,
      now: presence === 'here' ? facts?.condition : undefined,
    };
    return whyDue(found, shelf.value.dueDays, now.value);
  }

  async function load(): Promise<void> {
    const mine = ++asked;
    const [changes, found] = await Promise.all([api.setChanges(revision), api.shelf()]);
    // Answers may come in another order than they were asked for: the last asked for is the newest.
    if (mine !== asked) return;
    all.value = changes.isWhole ? changes.sets : merged(all.value, changes);
    revision = changes.revision;
    shelf.value = found;
    loaded.value = true;
    version.value++;
  }

  return { all, sets, ofPhones, firmware, binned, shelf, loaded, version, dueOf, load };
});
