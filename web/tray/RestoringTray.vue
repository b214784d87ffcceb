<script setup lang="ts">
import { ElButton, ElCheckbox, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, shallowRef, watch } from 'vue';
import { armingText } from '@keen-larder/contract/armed.ts';
import type { RestoringRequest } from '@keen-larder/contract/requests.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { isNeverWritten } from '@keen-larder/core/phone/roles.ts';
import { api } from '../api/client.ts';
import CheckList from '../parts/CheckList.vue';
import RoleStrip from '../parts/RoleStrip.vue';
import { useBench } from '../state/bench.ts';
import { useLarder } from '../state/larder.ts';
import { usePicks } from '../state/picks.ts';
import FigureGrid from './FigureGrid.vue';
import TrayFrame from './TrayFrame.vue';
import { useTrayRun } from './tray-run.ts';

const props = defineProps<{ setId: string }>();
const bench = useBench();
const larder = useLarder();
const store = usePicks();
const picks = computed(() => store.forSet(props.setId));

const set = shallowRef<SetDetail>();
watch(
  () => larder.version,
  async () => (set.value = await api.set(props.setId).catch(() => undefined)),
  { immediate: true },
);

const here = computed(() => bench.phones.filter(({ presence }) => presence !== 'away'));
/** The phone that the set was taken from, when it is here. */
const target = computed(() => {
  const chosen = here.value.find(({ serial }) => serial === picks.value.serial);
  return chosen ?? here.value.find(({ serial }) => serial === set.value?.serial) ?? here.value[0];
});

const bundles = computed(() => {
  const images = set.value?.images.filter(({ partition }) => !isNeverWritten(partition)) ?? [];
  const names = (wanted: (role: string, name: string) => boolean) =>
    images.filter(({ role, partition }) => wanted(role, partition)).map(({ partition }) => partition);
  return [
    { name: 'Boot and system', picked: names((role, name) => role === 'system' || name === 'boot') },
    { name: 'Boot chain', picked: names((role) => role === 'boot-chain') },
    { name: 'All but user data', picked: names((role) => role !== 'user-data' && role !== 'scratch') },
    { name: 'Everything', picked: names(() => true) },
  ].filter(({ picked }) => picked.length > 0);
});

const armed = computed(
  () => target.value !== undefined && picks.value.armedWith === armingText(target.value.serial),
);
const { sheet, error, clear, canStart, starting, start, confirm, mend } = useTrayRun({
  picks: () => picks.value,
  serial: () => target.value?.serial,
  sources: [
    () => picks.value.picked,
    () => picks.value.restartAfter,
    () => target.value?.facts,
    () => target.value?.presence,
    set,
  ],
  compute: (signal) =>
    target.value?.presence === 'here' ? api.restoringSheet(props.setId, request(), signal) : undefined,
  isReady: () => armed.value,
  async begin() {
    const { confirmed, armedWith } = picks.value;
    const run = await api.startRestoring(props.setId, { ...request(), confirmed, armedWith });
    picks.value.armedWith = '';
    return run;
  },
});

function request(): RestoringRequest {
  const { picked, restartAfter } = picks.value;
  return { serial: target.value?.serial ?? '', picked, restartAfter };
}

const figures = computed(() => {
  if (!sheet.value || picks.value.picked.length === 0) return [];
  const { bytes, expectedMs, bytesPerSecond } = sheet.value;
  return [
    { value: sizeText(bytes), name: 'to write', exact: `${bytes.toLocaleString('en')} bytes` },
    { value: `≈ ${durationText(expectedMs)}`, name: `at ${sizeText(bytesPerSecond)}/s` },
  ];
});

const strip = computed(() =>
  (set.value?.images ?? []).filter(({ partition }) => picks.value.picked.includes(partition)),
);
const count = computed(() => picks.value.picked.length);
</script>

<template>
  <TrayFrame v-if="set" :title="target ? `Tray · put back onto ${target.nickname}` : 'Tray · put back'">
    <div class="paper">
      <RoleStrip :strip="strip" />
      <div class="inside">
        <strong>{{ set.label }}</strong>
        <p class="soft">{{ count }} of {{ set.images.length }} images picked</p>
      </div>
    </div>
    <div class="bundles">
      <ElButton
        v-for="bundle in bundles"
        :key="bundle.name"
        size="small"
        @click="store.set(picks, bundle.picked)"
      >
        {{ bundle.name }}
      </ElButton>
      <ElButton v-if="count" size="small" text @click="store.set(picks, [])">None</ElButton>
    </div>
    <ElSelect
      v-if="here.length > 1"
      :model-value="target?.serial"
      aria-label="Put back onto"
      @update:model-value="(serial: string) => (picks.serial = serial)"
    >
      <ElOption
        v-for="phone in here"
        :key="phone.serial"
        :value="phone.serial"
        :label="`${phone.nickname} · ${phone.serial}`"
      />
    </ElSelect>
    <ol v-if="sheet && count" class="steps">
      <template v-for="step in sheet.steps" :key="step.text">
        <li v-if="step.kind === 'write'">
          <code>{{ step.partition }}</code><span>written, then proved</span
          ><span>{{ sizeText(step.bytes) }}</span>
        </li>
      </template>
    </ol>
    <FigureGrid v-if="figures.length" :figures="figures" />
    <CheckList
      v-if="sheet"
      :checks="sheet.checks"
      :confirmed="picks.confirmed"
      @mend="mend"
      @confirm="confirm"
    />
    <ElCheckbox v-if="sheet && count" v-model="picks.restartAfter"
      >Restart into system afterwards and watch it start</ElCheckbox
    >
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template v-if="target && target.presence !== 'here'">
      <p class="error" role="status">
        {{ target.nickname }} {{ target.presence === 'looping' ? 'does not start' : 'is restarting' }}.
      </p>
      <p v-if="target.keys.recovery" class="soft">Into recovery by hand: {{ target.keys.recovery }}</p>
    </template>
    <p v-if="!target" class="soft">No phone is on the bench. Connect the one to put this back onto.</p>
    <template #foot>
      <label v-if="clear && target" class="arm">
        <span
          >To arm, type the last four characters of <code>{{ target.serial }}</code></span
        >
        <ElInput
          v-model="picks.armedWith"
          :maxlength="4"
          class="arm-input"
          aria-label="Last four characters of the serial"
          spellcheck="false"
        />
      </label>
      <ElButton
        type="primary"
        size="large"
        class="go"
        :disabled="!canStart"
        :loading="starting"
        @click="start"
      >
        {{ count === 0 ? 'Restore' : `Restore ${count} ${count === 1 ? 'partition' : 'partitions'}` }}
      </ElButton>
    </template>
  </TrayFrame>
</template>

<style scoped>
.inside {
  padding: 8px 12px 10px;
}

.inside strong {
  font-size: 15px;
}

.bundles {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}

.bundles .el-button {
  margin: 0;
}

.steps li {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 10px;
  padding: 4px 2px;
  border-bottom: 1px solid var(--rule);
  font-size: 13px;
}

.steps span:nth-child(2) {
  color: var(--ink-soft);
}

.error {
  color: var(--beetroot);
  font-weight: 600;
}

.arm {
  display: flex;
  align-items: center;
  gap: 10px;
  margin-bottom: 8px;
  font-size: 13px;
}

.arm-input {
  flex: none;
  width: 74px;
  font-family: var(--mono);
}
</style>
