<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed } from 'vue';
import { armingText, mustArm } from '@keen-larder/core/runsheet/arming.ts';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { recordKind } from '@keen-larder/core/records/kinds.ts';
import { api } from '../api/client.ts';
import { useLarder } from '../state/larder.ts';
import { isOnPhone, useRecords } from '../state/records.ts';
import RunFrame from './RunFrame.vue';
import { useTrayRun } from './tray-run.ts';

/** What is picked among a phone's personal records: into the larder, or back onto the phone. */
const props = defineProps<{ phone: PhoneView }>();
const store = useRecords();
const larder = useLarder();
const serial = computed(() => props.phone.serial);
const draft = computed(() => store.draft(serial.value));
const isKeeping = computed(() => draft.value.doing === 'keep');
const rows = computed(() =>
  (store.lists[serial.value] ?? []).filter(({ kind }) => draft.value.picked.includes(kind)),
);
const able = computed(() =>
  rows.value.filter((row) =>
    isKeeping.value ? isOnPhone(row) : store.copyOf(serial.value, row) !== undefined,
  ),
);
const keeping = computed(() => ({ kinds: able.value.map(({ kind }) => kind) }));
const putting = computed(() => ({
  copies: able.value.flatMap((row) => store.copyOf(serial.value, row)?.id ?? []),
}));

const { sheet, run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources: [() => draft.value.doing, keeping, putting, () => props.phone.facts, () => larder.version],
  compute: (signal) =>
    props.phone.presence !== 'here' || draft.value.picked.length === 0
      ? undefined
      : isKeeping.value
        ? api.keepingRecordsSheet(serial.value, keeping.value, signal)
        : api.puttingRecordsSheet(serial.value, putting.value, signal),
  isReady: () => !armed.value || draft.value.armedWith === armingText(serial.value),
  async begin(seen) {
    const { confirmed, armedWith } = draft.value;
    const run = isKeeping.value
      ? await api.startKeepingRecords(serial.value, { ...keeping.value, confirmed, seen })
      : await api.startPuttingRecords(serial.value, { ...putting.value, confirmed, seen, armedWith });
    // What is kept just before is newer; what was put back stays the one that is chosen.
    if (!isKeeping.value)
      for (const row of able.value) draft.value.copyOf[row.kind] = store.copyOf(serial.value, row)!.id;
    draft.value.picked = [];
    draft.value.confirmed = [];
    draft.value.armedWith = '';
    return run;
  },
});
const armed = computed(() => sheet.value !== undefined && mustArm(sheet.value));
/** Somebody has to accept them. */
const asks = computed(() => sheet.value?.steps.some(({ kind }) => kind === 'hand-records') ?? false);
const figures = computed(() =>
  sheet.value && able.value.length > 0
    ? [
        { value: sizeText(sheet.value.bytes), name: isKeeping.value ? 'to read' : 'to read and write' },
        { value: aboutText(sheet.value.expectedMs), name: asks.value ? 'then it asks there' : 'unattended' },
      ]
    : [],
);
const count = computed(() => `${able.value.length} ${able.value.length === 1 ? 'kind' : 'kinds'}`);
</script>

<template>
  <RunFrame
    v-if="draft.picked.length"
    :title="`Tray · ${draft.picked.length} picked`"
    :run="run"
    :picks="draft"
    :figures="figures"
    :arms="armed ? serial : undefined"
    :go="`${isKeeping ? 'Keep' : 'Put back'} ${count} of records`"
    @arm="(typed) => (draft.armedWith = typed)"
  >
    <ElRadioGroup v-model="draft.doing" aria-label="What is done with them">
      <ElRadioButton value="keep">Copy into the larder</ElRadioButton>
      <ElRadioButton value="put-back">Put back</ElRadioButton>
    </ElRadioGroup>
    <p>{{ able.map(({ kind }) => recordKind(kind).title).join(' · ') }}</p>
    <p v-if="able.length < draft.picked.length" class="soft" role="status">
      {{ draft.picked.length - able.length }} of those picked
      {{ isKeeping ? 'the phone has none of' : 'were never kept' }}, and are left out.
    </p>
  </RunFrame>
  <div v-else class="nothing">
    <h2 class="zone">Tray</h2>
    <p class="soft">Pick records to keep them, or to put them back.</p>
  </div>
</template>

<style scoped>
.nothing {
  display: grid;
  gap: 10px;
  padding: 14px;
}
</style>
