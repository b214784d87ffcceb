<script setup lang="ts">
import { ElCheckbox, ElOption, ElSelect } from 'element-plus';
import { computed, ref } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { CopyView } from '@keen-larder/contract/copies.ts';
import { armingText, mustArm } from '@keen-larder/core/runsheet/arming.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import HomeRows from '../HomeRows.vue';
import BackupPassword from '../BackupPassword.vue';
import RunFrame from '../../RunFrame.vue';
import { useTrayRun } from '../../tray-run.ts';
import DoingChoice from './DoingChoice.vue';
import PickedList from './PickedList.vue';
import { usePickedApps } from './use-picked-apps.ts';
import WhatChoice from './WhatChoice.vue';

/** Copies of picked apps go back onto their phone. */
const props = defineProps<{ phone: PhoneView }>();
const { serial, draft, able, unable, partsOf, copyOf, title, count, figuresOf, sources, started } =
  usePickedApps(() => props.phone);
/** The phone as they find it. */
const place = computed(() => ({ sdk: props.phone.facts?.sdk, root: props.phone.facts?.root ?? false }));
const givesIds = computed(
  () => place.value.root && able.value.some((app) => Boolean(copyOf(app).app.home?.androidId)),
);
/** Gone with the start. */
const password = ref('');
const request = computed(() => ({
  copies: able.value.map((app) => ({ copyId: copyOf(app).id, parts: partsOf(app.package) })),
  ...(draft.value.user !== 0 && { user: draft.value.user }),
  ...(draft.value.through && { through: draft.value.through }),
  ...(draft.value.withIds && givesIds.value && { withIds: true }),
}));
const { sheet, run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources,
  compute: (signal) =>
    props.phone.presence === 'here' ? api.puttingAppsSheet(serial.value, request.value, signal) : undefined,
  isReady: () => !armed.value || draft.value.armedWith === armingText(serial.value),
  async begin(seen) {
    const { confirmed, armedWith } = draft.value;
    const run = await api.startPuttingApps(serial.value, {
      ...request.value,
      confirmed,
      seen,
      armedWith,
      ...(password.value && { backupPassword: password.value }),
    });
    password.value = '';
    started();
    return run;
  },
  // Data takes its program along, whichever way it was chosen.
  addPrograms() {
    draft.value.what = 'both';
    if (draft.value.whatOf) draft.value.whatOf = {};
  },
  copyFirst: () => (draft.value.doing = 'copy'),
  throughRecovery: () => (draft.value.through = 'recovery'),
  throughBackup: () => (draft.value.through = 'backup'),
});
const armed = computed(() => sheet.value !== undefined && mustArm(sheet.value));
const figures = computed(() => figuresOf(sheet.value, 'to write'));
const copyText = ({ createdAt, app, note }: CopyView) =>
  `${exactTime(createdAt)} · ${app.versionName ?? app.versionCode}${note ? ` · ${note}` : ''}`;
</script>

<template>
  <RunFrame
    :title="title"
    :run="run"
    :picks="draft"
    :figures="figures"
    :arms="armed ? serial : undefined"
    :go="`Put back ${count}`"
    :hint="
      draft.through === 'backup'
        ? 'Ctrl Enter · what the apps have now is replaced'
        : 'Ctrl Enter · an app that fails stays as it was'
    "
    @arm="(typed) => (draft.armedWith = typed)"
  >
    <DoingChoice v-model="draft.doing" />
    <WhatChoice :draft="draft" :has-several="able.length > 1" />
    <PickedList :apps="able" :unable="unable" why="in no copy" :draft="draft" chooses-what>
      <template #default="{ app }">
        <ElSelect
          v-if="app.copies.length > 1"
          :model-value="copyOf(app).id"
          size="small"
          :aria-label="`Copy of ${app.label}`"
          @update:model-value="(id: string) => (draft.copyOf = { ...draft.copyOf, [app.package]: id })"
        >
          <ElOption v-for="copy in app.copies" :key="copy.id" :value="copy.id" :label="copyText(copy)" />
        </ElSelect>
        <span v-else class="soft">{{ copyText(copyOf(app)) }}</span>
        <details class="home">
          <summary>At home again</summary>
          <HomeRows :app="copyOf(app).app" :place="place" />
        </details>
      </template>
    </PickedList>
    <ElCheckbox v-if="givesIds" v-model="draft.withIds"
      >Android ids as well; the phone restarts at the end</ElCheckbox
    >
    <template #below><BackupPassword v-model="password" :sheet="sheet" /></template>
  </RunFrame>
</template>
