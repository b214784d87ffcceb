<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed, ref } from 'vue';
import { armingText, mustArm } from '@keen-larder/core/runsheet/arming.ts';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import type { MovingSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { api } from '../../api/client.ts';
import { useBench } from '../../state/bench.ts';
import { useLarder } from '../../state/larder.ts';
import { useMoving } from '../../state/apps/moving.ts';
import BackupPassword from './BackupPassword.vue';
import RunFrame from '../RunFrame.vue';
import { useTrayRun } from '../tray-run.ts';

/** What is picked to move to another phone, and in which order it is done on both. */
const props = defineProps<{ phone: PhoneView }>();
const store = useMoving();
const bench = useBench();
const larder = useLarder();
const serial = computed(() => props.phone.serial);
const draft = computed(() => store.draft(serial.value));
const target = computed(() => (draft.value.to ? bench.phone(draft.value.to) : undefined));
const parts = computed((): PartKind[] =>
  draft.value.what === 'program' ? ['program'] : ['program', 'data', 'device-data'],
);
/** Gone with the start. */
const password = ref('');
const request = computed(() => ({
  to: draft.value.to ?? '',
  apps: draft.value.picked.map((name) => ({ package: name, parts: parts.value })),
  ...(draft.value.through && { through: draft.value.through }),
}));

const { sheet, run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources: [request, () => props.phone.facts, () => target.value?.facts, () => larder.version],
  compute: (signal) =>
    draft.value.to && draft.value.picked.length > 0 && props.phone.presence === 'here'
      ? api.movingSheet(serial.value, request.value, signal)
      : undefined,
  isReady: () => !armed.value || draft.value.armedWith === armingText(draft.value.to ?? ''),
  async begin(seen) {
    const { confirmed, armedWith } = draft.value;
    const run = await api.startMoving(serial.value, {
      ...request.value,
      confirmed,
      seen,
      armedWith,
      ...(password.value && { backupPassword: password.value }),
    });
    password.value = '';
    draft.value.picked = [];
    draft.value.confirmed = [];
    draft.value.armedWith = '';
    return run;
  },
  throughRecovery: () => (draft.value.through = 'recovery'),
});
const armed = computed(() => sheet.value !== undefined && mustArm(sheet.value));
const both = computed(() => {
  const found = sheet.value as MovingSheet | undefined;
  if (!found) return [];
  return [
    { nickname: props.phone.nickname, steps: found.onSource },
    { nickname: target.value?.nickname ?? '', steps: found.onTarget },
  ];
});
const figures = computed(() =>
  sheet.value
    ? [
        { value: sizeText(sheet.value.bytes / 2), name: 'over each cable, about' },
        { value: aboutText(sheet.value.expectedMs), name: 'unattended' },
      ]
    : [],
);
const count = computed(
  () => `${draft.value.picked.length} ${draft.value.picked.length === 1 ? 'app' : 'apps'}`,
);
</script>

<template>
  <RunFrame
    v-if="draft.to && draft.picked.length"
    :title="`Tray · move ${count} to ${target?.nickname ?? ''}`"
    :run="run"
    :picks="draft"
    :figures="figures"
    :arms="armed ? draft.to : undefined"
    :go="`Move ${count}`"
    hint="Ctrl Enter · each app is in the larder before anything is removed"
    @arm="(typed) => (draft.armedWith = typed)"
  >
    <ElRadioGroup v-model="draft.what" size="small" aria-label="What of each">
      <ElRadioButton value="both">Program and data</ElRadioButton>
      <ElRadioButton value="program">Program</ElRadioButton>
    </ElRadioGroup>
    <section v-for="each in both" :key="each.nickname">
      <h3>On {{ each.nickname }}</h3>
      <ol>
        <li v-for="step in each.steps" :key="step.text">{{ step.text }}</li>
      </ol>
    </section>
    <template #below><BackupPassword v-model="password" :sheet="sheet" /></template>
  </RunFrame>
  <div v-else class="nothing">
    <h2 class="zone">Tray</h2>
    <p class="soft">Choose the other phone and pick apps to see what moving them would take.</p>
  </div>
</template>

<style scoped>
h3 {
  font-size: 13px;
}

li {
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
  font-size: 13px;
}

.nothing {
  display: grid;
  gap: 10px;
  padding: 14px;
}
</style>
