import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { JobView } from '@keen-larder/contract/jobs.ts';
import { isOpen } from '@keen-larder/core/jobs/stages.ts';
import { api } from '../api/client.ts';

/** Every job card. */
export const useJobs = defineStore('jobs', () => {
  /** The newest first; undefined until they are known. */
  const list = shallowRef<readonly JobView[]>();
  /** Grows whenever a card changed, for views that show details. */
  const version = ref(0);
  let asked = 0;

  const open = computed(() => (list.value ?? []).filter(({ stage }) => isOpen(stage)));
  /** The open card of a phone. */
  const ofPhone = (serial: string) =>
    open.value.find(({ phones }) => phones.some((each) => each.serial === serial));

  async function load(): Promise<void> {
    const mine = ++asked;
    const found = await api.jobs();
    if (mine !== asked) return;
    list.value = found;
    version.value++;
  }

  return { list, version, open, ofPhone, load };
});
