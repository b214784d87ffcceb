<script setup lang="ts">
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { api } from '../../api/client.ts';
import { useApps } from '../../state/apps.ts';
import RunFrame from '../RunFrame.vue';
import { useTrayRun } from '../tray-run.ts';

/** Programs that wait on the phone itself, to be installed there. */
const props = defineProps<{ phone: PhoneView }>();
const store = useApps();
const serial = computed(() => props.phone.serial);
const draft = computed(() => store.draft(serial.value));
const request = computed(() => ({ packages: draft.value.ofWaiting }));

const { run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources: [request, () => props.phone.facts],
  compute: (signal) =>
    props.phone.presence === 'here' ? api.waitingSheet(serial.value, request.value, signal) : undefined,
  async begin(seen) {
    const { confirmed } = draft.value;
    const run = await api.startInstallingWaiting(serial.value, { ...request.value, confirmed, seen });
    Object.assign(draft.value, { ofWaiting: [], confirmed: [] });
    return run;
  },
});
const count = computed(() => draft.value.ofWaiting.length);
const figures = computed(() => [
  { value: String(count.value), name: count.value === 1 ? 'program' : 'programs' },
]);
</script>

<template>
  <RunFrame
    :title="count === 1 ? 'Tray · one program that waits' : `Tray · ${count} programs that wait`"
    :run="run"
    :picks="draft"
    :figures="figures"
    :go="count === 1 ? 'Install it' : `Install ${count} programs`"
  >
    <p class="soft">They lie on the phone already, each checked as it was left there. Nothing needs root.</p>
  </RunFrame>
</template>
