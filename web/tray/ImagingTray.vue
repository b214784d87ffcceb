<script setup lang="ts">
import { ElButton, ElCheckbox, ElOption, ElSelect } from 'element-plus';
import { RotateCcw } from 'lucide-vue-next';
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { composeLabel, maxLabelLength, nextFreeLabel } from '@keen-larder/core/larder/label.ts';
import { canReadUsedOnly, imagingPurposes, mayBeKeptAlready } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';
import { api } from '../api/client.ts';
import RoleStrip from '../parts/roles/RoleStrip.vue';
import { useBench } from '../state/bench.ts';
import { useLarder } from '../state/larder.ts';
import { usePicks } from '../state/picks.ts';
import RunFrame from './RunFrame.vue';
import TrayFrame from './TrayFrame.vue';
import { useTrayRun } from './tray-run.ts';

const props = defineProps<{ phone: PhoneView }>();
const bench = useBench();
const larder = useLarder();
const store = usePicks();
const picks = computed(() => store.forPhone(props.phone.serial));

const taken = computed(() =>
  larder.all.filter(({ serial }) => serial === props.phone.serial).map(({ label }) => label),
);
const composed = computed(() => {
  const { facts, nickname, serial } = props.phone;
  if (!facts) return '';
  const now = new Date();
  return nextFreeLabel(
    composeLabel({
      model: facts.model,
      nickname,
      serial,
      condition: facts.condition,
      purpose: picks.value.purpose,
      at: now,
      utcOffsetMinutes: -now.getTimezoneOffset(),
    }),
    taken.value,
  );
});
const label = computed({
  get: () => picks.value.ownLabel ?? composed.value,
  set: (text) => (picks.value.ownLabel = text),
});

const partitions = computed(() => bench.partitions[props.phone.serial] ?? []);
const strip = computed(() =>
  partitions.value
    .filter(({ name }) => picks.value.picked.includes(name))
    .map(({ role, bytes }): { role: Role; bytes: number } => ({ role, bytes })),
);

/** Of what is picked, the file systems of which only the blocks in use may be read, and what that saves. */
const usable = computed(() =>
  partitions.value.filter((each) => picks.value.picked.includes(each.name) && canReadUsedOnly(each)),
);
const savedBytes = computed(() =>
  usable.value.reduce((sum, { bytes, usedBytes }) => sum + bytes - (usedBytes ?? bytes), 0),
);
/** Of what is picked, what need not be read when the phone proves it to be as it was kept. */
const keptBefore = computed(() =>
  partitions.value.filter((each) => picks.value.picked.includes(each.name) && mayBeKeptAlready(each)),
);
/** Only a system that gives root shows what could be read after a restart. */
const canRestartFirst = computed(() => props.phone.facts?.mode === 'system' && props.phone.facts.root);
const request = computed(() => ({
  picked: picks.value.picked,
  ...(picks.value.usedOnly && { usedOnly: usable.value.map(({ name }) => name) }),
  ...(picks.value.readAll && { readAll: true }),
  ...(picks.value.restartInto && canRestartFirst.value && { restartInto: picks.value.restartInto }),
}));

const { sheet, run } = useTrayRun({
  picks: () => picks.value,
  serial: () => props.phone.serial,
  sources: [
    () => picks.value.picked,
    () => [picks.value.usedOnly, picks.value.readAll, picks.value.restartInto],
    label,
    () => props.phone.facts,
    () => larder.version,
  ],
  compute: (signal) =>
    props.phone.presence === 'here'
      ? api.imagingSheet(props.phone.serial, { ...request.value, label: label.value }, signal)
      : undefined,
  async begin(seen) {
    const { confirmed } = picks.value;
    const run = await api.startImaging(props.phone.serial, {
      ...request.value,
      confirmed,
      seen,
      label: label.value.trim(),
    });
    picks.value.ownLabel = undefined;
    picks.value.confirmed = [];
    return run;
  },
  rename: (text) => (label.value = text),
  restartFirst: (into) => (picks.value.restartInto = into),
});

const figures = computed(() => {
  if (!sheet.value || picks.value.picked.length === 0) return [];
  const { bytes, expectedMs, bytesPerSecond, shelfBytes, batteryPercent } = sheet.value;
  const free = larder.shelf?.freeBytes ?? 0;
  const charging = props.phone.facts?.battery?.charging;
  return [
    { value: sizeText(bytes), name: 'to read', exact: `${bytes.toLocaleString('en')} bytes` },
    {
      value: aboutText(expectedMs),
      name: `at ${sizeText(bytesPerSecond)}/s${charging ? '' : `, ≈ ${batteryPercent} % battery`}`,
    },
    {
      value: `≈ ${sizeText(shelfBytes ?? bytes)}`,
      name: `new on the shelf, ${sizeText(bytes)} at most`,
      exact: `at most ${bytes.toLocaleString('en')} bytes`,
    },
    { value: sizeText(Math.max(0, free - bytes)), name: 'free afterwards, at least' },
  ];
});

const title = computed(() => {
  const n = picks.value.picked.length;
  return n === 0 ? 'Tray · keep images' : `Tray · keep ${n} ${n === 1 ? 'image' : 'images'}`;
});
</script>

<template>
  <RunFrame
    v-if="phone.presence === 'here'"
    :title="title"
    :run="run"
    :picks="picks"
    :figures="figures"
    :go="phone.runId ? 'Queue imaging' : 'Start imaging'"
    hint="Ctrl Enter · nothing on the phone is changed"
  >
    <div class="paper">
      <RoleStrip :strip="strip" />
      <div class="inside">
        <textarea
          v-model="label"
          rows="2"
          :maxlength="maxLabelLength"
          aria-label="Name of the set"
          spellcheck="false"
          @keydown.enter.exact.prevent
        />
        <p v-if="label.length > maxLabelLength - 20" role="status">
          {{ label.length }} of at most {{ maxLabelLength }} letters
        </p>
        <div class="purpose">
          <ElSelect
            v-model="picks.purpose"
            filterable
            allow-create
            default-first-option
            size="small"
            aria-label="Why it is kept"
            @change="picks.ownLabel = undefined"
          >
            <ElOption v-for="each in imagingPurposes" :key="each" :value="each" :label="each" />
          </ElSelect>
          <ElButton
            v-if="picks.ownLabel !== undefined"
            size="small"
            text
            title="Compose the name again"
            @click="picks.ownLabel = undefined"
          >
            <RotateCcw :size="13" aria-hidden="true" />&nbsp;composed name
          </ElButton>
        </div>
        <p class="soft">{{ phone.nickname }} · shelf “{{ larder.shelf?.name }}”</p>
      </div>
    </div>
    <template #options>
      <div v-if="usable.length || keptBefore.length || canRestartFirst" class="options">
        <ElCheckbox v-if="usable.length" v-model="picks.usedOnly" size="small">
          Only the blocks in use<span class="soft"> · saves {{ sizeText(savedBytes) }}</span>
        </ElCheckbox>
        <ElCheckbox v-if="keptBefore.length" v-model="picks.readAll" size="small">
          Read also what is unchanged<span class="soft">
            · {{ keptBefore.length }} kept before: digested on the phone first</span
          >
        </ElCheckbox>
        <ElCheckbox
          v-if="canRestartFirst && picks.picked.length"
          :model-value="picks.restartInto === 'recovery'"
          size="small"
          @update:model-value="(is) => (picks.restartInto = is ? 'recovery' : undefined)"
        >
          Restart into recovery first<span class="soft"> · reads at rest</span>
        </ElCheckbox>
      </div>
    </template>
  </RunFrame>
  <TrayFrame v-else title="Tray">
    <p class="soft">
      {{ phone.nickname }} does not answer. The tray shows what can be done as soon as it does.
    </p>
  </TrayFrame>
</template>

<style scoped>
.inside {
  display: grid;
  gap: 6px;
  padding: 8px 10px 9px;
}

textarea {
  width: 100%;
  padding: 2px 4px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: transparent;
  color: var(--ink);
  font: 700 16px/1.3 var(--text);
  resize: none;
  field-sizing: content;
}

textarea:hover {
  border-color: var(--rule-strong);
}

textarea:focus-visible {
  outline-offset: -1px;
}

.purpose {
  display: flex;
  gap: 4px;
}

.purpose .el-select {
  width: 140px;
}

.inside p {
  font-size: 12.5px;
}

.options {
  display: grid;
}
</style>
