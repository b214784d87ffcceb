<script setup lang="ts">
import { computed, ref } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { api } from '../../../api/client.ts';
import BackupPassword from '../BackupPassword.vue';
import RunFrame from '../../RunFrame.vue';
import { useTrayRun } from '../../tray-run.ts';
import DoingChoice from './DoingChoice.vue';
import PickedList from './PickedList.vue';
import { usePickedApps } from './use-picked-apps.ts';
import WhatChoice from './WhatChoice.vue';

/** Picked apps of a phone go into the larder. */
const props = defineProps<{ phone: PhoneView }>();
const { serial, draft, able, unable, partsOf, title, count, figuresOf, sources, started } = usePickedApps(
  () => props.phone,
);
/** Gone with the start. */
const password = ref('');
const request = computed(() => ({
  apps: able.value.map(({ package: name }) => ({ package: name, parts: partsOf(name) })),
  ...(draft.value.user !== 0 && { user: draft.value.user }),
}));
const { sheet, run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources,
  compute: (signal) =>
    props.phone.presence === 'here' ? api.copyingSheet(serial.value, request.value, signal) : undefined,
  async begin(seen) {
    const run = await api.startCopying(serial.value, {
      ...request.value,
      confirmed: draft.value.confirmed,
      seen,
      ...(password.value && { backupPassword: password.value }),
    });
    password.value = '';
    started();
    return run;
  },
});
const figures = computed(() => figuresOf(sheet.value, 'to read, at most'));
</script>

<template>
  <RunFrame
    :title="title"
    :run="run"
    :picks="draft"
    :figures="figures"
    :go="`Copy ${count}`"
    hint="Ctrl Enter · apps are stopped, nothing else is changed"
  >
    <DoingChoice v-model="draft.doing" />
    <WhatChoice :draft="draft" :has-several="able.length > 1" />
    <PickedList :apps="able" :unable="unable" why="not on the phone" :draft="draft" chooses-what />
    <template #below><BackupPassword v-model="password" :sheet="sheet" /></template>
  </RunFrame>
</template>
