<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { appActions } from '@keen-larder/core/apps/built-in.ts';
import { actionWords } from '@keen-larder/core/runsheet/run-sheets.ts';
import { api } from '../../../api/client.ts';
import RunFrame from '../../RunFrame.vue';
import { useTrayRun } from '../../tray-run.ts';
import DoingChoice from './DoingChoice.vue';
import PickedList from './PickedList.vue';
import { usePickedApps } from './use-picked-apps.ts';

/** Picked apps are disabled, enabled, removed or brought back for one user of the phone, or are as they came with the system again. */
const props = defineProps<{ phone: PhoneView }>();
const { serial, draft, able, unable, title, count, sources, started } = usePickedApps(() => props.phone);
const request = computed(() => ({
  packages: able.value.map(({ package: name }) => name),
  action: draft.value.action,
  ...(draft.value.user !== 0 && { user: draft.value.user }),
}));
const { run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources,
  compute: (signal) =>
    props.phone.presence === 'here' ? api.changingAppsSheet(serial.value, request.value, signal) : undefined,
  async begin(seen) {
    const run = await api.startChangingApps(serial.value, {
      ...request.value,
      confirmed: draft.value.confirmed,
      seen,
    });
    started();
    return run;
  },
  // Data alone brings no app back.
  copyFirst: () => Object.assign(draft.value, { doing: 'copy', what: 'both', whatOf: {} }),
});
</script>

<template>
  <RunFrame
    :title="title"
    :run="run"
    :picks="draft"
    :go="`${actionWords[draft.action]} ${count}`"
    :hint="`Ctrl Enter · for ${draft.user === 0 ? 'the phone’s owner' : 'this user'}; it can be undone`"
  >
    <DoingChoice v-model="draft.doing" />
    <ElRadioGroup v-model="draft.action" size="small" aria-label="What is done on the phone">
      <ElRadioButton v-for="each in appActions" :key="each" :value="each">{{
        each === 'take-back-update' ? 'Take update back' : actionWords[each]
      }}</ElRadioButton>
    </ElRadioGroup>
    <PickedList :apps="able" :unable="unable" why="as wanted already, or not there" :draft="draft" />
  </RunFrame>
</template>
