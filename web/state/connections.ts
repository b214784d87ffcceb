import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { ConnectionsView } from '@keen-larder/contract/connections.ts';
import { wantsHands } from '@keen-larder/core/phone/connections.ts';
import { api } from '../api/client.ts';

/** The ways to phones, and those at which somebody has to do something. */
export const useConnections = defineStore('connections', () => {
  const view = ref<ConnectionsView>();
  let asked = 0;

  const waiting = computed(() => (view.value?.connections ?? []).filter(({ state }) => wantsHands(state)));

  async function load(): Promise<void> {
    const mine = ++asked;
    const found = await api.connections();
    if (mine === asked) view.value = found;
  }

  return { view, waiting, load };
});
