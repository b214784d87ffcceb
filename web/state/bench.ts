import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { PartitionView, PhoneView } from '@keen-larder/contract/bench.ts';
import { api } from '../api/client.ts';
import { newsKeeper } from './news.ts';

/** The phones, and the partitions of those that were looked at. */
export const useBench = defineStore('bench', () => {
  const phones = ref<PhoneView[]>([]);
  const loaded = ref(false);
  /** The phone whose page was shown last. */
  const last = ref<string>();
  const news = newsKeeper<PhoneView>(({ serial }) => serial);
  const partitions = shallowRef<Readonly<Record<string, PartitionView[]>>>({});
  const partitionsError = ref<Record<string, string | undefined>>({});

  const present = computed(() => phones.value.filter(({ presence }) => presence !== 'away'));
  const away = computed(() => phones.value.filter(({ presence }) => presence === 'away'));

  async function load(): Promise<void> {
    phones.value = [...(await news.load(api.phones)).values()];
    loaded.value = true;
  }

  function take(phone: PhoneView): void {
    news.hear(phone);
    const at = phones.value.findIndex(({ serial }) => serial === phone.serial);
    if (at < 0) phones.value.push(phone);
    else phones.value[at] = phone;
  }

  const phone = (serial: string) => phones.value.find((each) => each.serial === serial);

  async function loadPartitions(serial: string): Promise<void> {
    try {
      partitions.value = { ...partitions.value, [serial]: await api.partitions(serial) };
      partitionsError.value[serial] = undefined;
    } catch (error) {
      partitionsError.value[serial] = (error as Error).message;
    }
  }

  return {
    phones,
    loaded,
    last,
    present,
    away,
    partitions,
    partitionsError,
    load,
    take,
    phone,
    loadPartitions,
  };
});
