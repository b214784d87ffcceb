<script setup lang="ts">
import { ElButton, ElCheckbox, ElOption, ElRadioButton, ElRadioGroup, ElSelect } from 'element-plus';
import { computed, ref } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { AppView } from '@keen-larder/contract/copies.ts';
import { armingText } from '@keen-larder/core/runsheet/arming.ts';
import { appActions, applies } from '@keen-larder/core/apps/built-in.ts';
import { actionWords } from '@keen-larder/core/runsheet/run-sheets.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { api } from '../../api/client.ts';
import { exactTime } from '../../parts/time.ts';
import { useApps, type WhatOfApp } from '../../state/apps.ts';
import { useLarder } from '../../state/larder.ts';
import RunFrame from '../RunFrame.vue';
import { useTrayRun } from '../tray-run.ts';

/** What is picked among a phone's apps: into the larder, or back onto the phone. */
const props = defineProps<{ phone: PhoneView }>();
const store = useApps();
const larder = useLarder();
const serial = computed(() => props.phone.serial);
const draft = computed(() => store.draft(serial.value));
const picked = computed(() => store.pickedOf(serial.value));
const isCopying = computed(() => draft.value.doing === 'copy');
const isPutting = computed(() => draft.value.doing === 'put-back');

/** Of what is picked, what can be copied is on the phone, and what can be put back is in the larder. */
const able = computed(() =>
  picked.value.filter(({ installed, copies }) =>
    draft.value.doing === 'change'
      ? installed && applies(draft.value.action, installed)
      : isCopying.value
        ? installed
        : copies.length > 0,
  ),
);
const unable = computed(() => picked.value.length - able.value.length);

const whatOf = (name: string): WhatOfApp => draft.value.whatOf?.[name] ?? draft.value.what;
function partsOf(name: string): PartKind[] {
  const what = whatOf(name);
  return [
    ...(what !== 'data' ? (['program'] as const) : []),
    ...(what !== 'program' ? (['data', 'device-data'] as const) : []),
    ...(what !== 'program' && draft.value.withShared ? (['external', 'media', 'obb'] as const) : []),
  ];
}
const whats = { both: 'Program and data', data: 'Data', program: 'Program' } as const;
/** Data takes its program along, whichever way it was chosen. */
function addPrograms(): void {
  draft.value.what = 'both';
  if (draft.value.whatOf) draft.value.whatOf = {};
}
const copyOf = ({ package: name, copies }: AppView) =>
  copies.find(({ id }) => id === draft.value.copyOf[name]) ?? copies[0]!;
const copying = computed(() => ({
  apps: able.value.map(({ package: name }) => ({ package: name, parts: partsOf(name) })),
}));
const putting = computed(() => ({
  copies: able.value.map((app) => ({ copyId: copyOf(app).id, parts: partsOf(app.package) })),
  ...(draft.value.through && { through: draft.value.through }),
}));

const changing = computed(() => ({
  packages: able.value.map(({ package: name }) => name),
  action: draft.value.action,
}));

const { sheet, run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources: [
    () => [
      draft.value.doing,
      draft.value.action,
      draft.value.what,
      draft.value.whatOf,
      draft.value.withShared,
      draft.value.through,
    ],
    () => draft.value.picked,
    () => draft.value.copyOf,
    () => store.lists[serial.value],
    () => props.phone.facts,
    () => larder.version,
  ],
  compute: (signal) =>
    props.phone.presence !== 'here'
      ? undefined
      : isCopying.value
        ? api.copyingSheet(serial.value, copying.value, signal)
        : isPutting.value
          ? api.puttingAppsSheet(serial.value, putting.value, signal)
          : api.changingAppsSheet(serial.value, changing.value, signal),
  isReady: () => !mustArm.value || draft.value.armedWith === armingText(serial.value),
  async begin() {
    const { confirmed, armedWith } = draft.value;
    const run = isCopying.value
      ? await api.startCopying(serial.value, { ...copying.value, confirmed })
      : isPutting.value
        ? await api.startPuttingApps(serial.value, { ...putting.value, confirmed, armedWith })
        : await api.startChangingApps(serial.value, { ...changing.value, confirmed });
    draft.value.picked = [];
    draft.value.confirmed = [];
    draft.value.armedWith = '';
    return run;
  },
  addPrograms,
  copyFirst: () => (draft.value.doing = 'copy'),
  throughRecovery: () => (draft.value.through = 'recovery'),
});
/** Data that the phone has is replaced. */
const mustArm = computed(
  () => isPutting.value && (sheet.value?.checks.some(({ id }) => id === 'data-replaced') ?? false),
);

const figures = computed(() => {
  if (!sheet.value || able.value.length === 0 || draft.value.doing === 'change') return [];
  const { bytes, expectedMs } = sheet.value;
  return [
    {
      value: sizeText(bytes),
      name: isCopying.value ? 'to read, at most' : 'to write',
      exact: `${bytes.toLocaleString('en')} bytes`,
    },
    { value: aboutText(expectedMs), name: 'unattended' },
  ];
});

const fewShown = 6;
const showsAll = ref(false);
const listed = computed(() => (showsAll.value ? able.value : able.value.slice(0, fewShown)));
const versionOf = (app: AppView) => {
  const { versionName, versionCode } = app.installed ?? copyOf(app).app;
  return versionName ?? versionCode;
};
const copyText = ({ createdAt, app, note }: AppView['copies'][number]) =>
  `${exactTime(createdAt)} · ${app.versionName ?? app.versionCode}${note ? ` · ${note}` : ''}`;
const count = computed(() => `${able.value.length} ${able.value.length === 1 ? 'app' : 'apps'}`);
const goWords = computed(() =>
  isCopying.value ? 'Copy' : isPutting.value ? 'Put back' : actionWords[draft.value.action],
);
const hint = computed(() =>
  isCopying.value
    ? 'apps are stopped, nothing else is changed'
    : isPutting.value
      ? 'an app that fails stays as it was'
      : 'for the phone’s owner; it can be undone',
);
</script>

<template>
  <RunFrame
    :title="`Tray · ${picked.length} ${picked.length === 1 ? 'app' : 'apps'} picked`"
    :run="run"
    :picks="draft"
    :figures="figures"
    :arms="mustArm ? serial : undefined"
    :go="`${goWords} ${count}`"
    :hint="`Ctrl Enter · ${hint}`"
    @arm="(typed) => (draft.armedWith = typed)"
  >
    <ElRadioGroup v-model="draft.doing" aria-label="What is done with them">
      <ElRadioButton value="copy">Copy</ElRadioButton>
      <ElRadioButton value="put-back">Put back</ElRadioButton>
      <ElRadioButton value="change">Turn off</ElRadioButton>
    </ElRadioGroup>
    <ElRadioGroup
      v-if="draft.doing === 'change'"
      v-model="draft.action"
      size="small"
      aria-label="What is done on the phone"
    >
      <ElRadioButton v-for="each in appActions" :key="each" :value="each">{{
        actionWords[each]
      }}</ElRadioButton>
    </ElRadioGroup>
    <ElRadioGroup v-else v-model="draft.what" size="small" aria-label="What of each">
      <ElRadioButton v-for="(words, what) in whats" :key="what" :value="what">{{ words }}</ElRadioButton>
    </ElRadioGroup>
    <ElCheckbox
      v-if="draft.doing !== 'change' && able.length > 1"
      :model-value="draft.whatOf !== undefined"
      size="small"
      @update:model-value="(is) => (draft.whatOf = is ? {} : undefined)"
    >
      Another choice for single apps
    </ElCheckbox>
    <ElCheckbox
      v-if="draft.doing !== 'change' && draft.what !== 'program'"
      v-model="draft.withShared"
      size="small"
    >
      With its files on shared storage<span class="soft"> · external data, media, OBB</span>
    </ElCheckbox>
    <ul class="picked">
      <li v-for="app in listed" :key="app.package">
        <strong :title="app.package">{{ app.label }}</strong>
        <ElSelect
          v-if="isPutting && app.copies.length > 1"
          :model-value="copyOf(app).id"
          size="small"
          :aria-label="`Copy of ${app.label}`"
          @update:model-value="(id: string) => (draft.copyOf = { ...draft.copyOf, [app.package]: id })"
        >
          <ElOption v-for="copy in app.copies" :key="copy.id" :value="copy.id" :label="copyText(copy)" />
        </ElSelect>
        <span v-else-if="isPutting" class="soft">{{ copyText(copyOf(app)) }}</span>
        <span v-else class="soft">{{ versionOf(app) }}</span>
        <ElSelect
          v-if="draft.whatOf && draft.doing !== 'change'"
          :model-value="whatOf(app.package)"
          size="small"
          class="what"
          :aria-label="`What of ${app.label}`"
          @update:model-value="(what: WhatOfApp) => (draft.whatOf = { ...draft.whatOf, [app.package]: what })"
        >
          <ElOption v-for="(words, what) in whats" :key="what" :value="what" :label="words" />
        </ElSelect>
      </li>
      <li v-if="able.length > fewShown">
        <ElButton size="small" text @click="showsAll = !showsAll">{{
          showsAll ? 'Show fewer' : `Show all ${able.length}`
        }}</ElButton>
      </li>
    </ul>
    <p v-if="unable > 0" class="soft" role="status">
      {{ unable }} of those picked {{ unable === 1 ? 'is' : 'are' }}
      {{ isCopying ? 'not on the phone' : isPutting ? 'in no copy' : 'as wanted already, or not there' }}, and
      left out.
    </p>
  </RunFrame>
</template>

<style scoped>
.picked {
  font-size: 13px;
}

.picked li {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 3px 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
}

.picked .el-select {
  width: 190px;
}

.picked .what {
  width: 100%;
}
</style>
