<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { isLive } from '@keen-larder/contract/runs.ts';
import { appFacets, facetKey, filterApps, sortApps, type AppOrder } from '@keen-larder/core/apps/facets.ts';
import type { AppView } from '@keen-larder/contract/copies.ts';
import AppIcon from './AppIcon.vue';
import { api } from '../../../api/client.ts';
import InsideApps from '../../larder/InsideApps.vue';
import CopyRoutineLine from './CopyRoutineLine.vue';
import PhoneUsers from './PhoneUsers.vue';
import PurposePlans from './PurposePlans.vue';
import TurnedOffElsewhere from './TurnedOffElsewhere.vue';
import WaitingPrograms from './WaitingPrograms.vue';
import ChoiceButton from '../../../parts/ChoiceButton.vue';
import LongTable from '../../../parts/table/LongTable.vue';
import type { LongColumn } from '../../../parts/table/long-table.ts';
import TimeText from '../../../parts/TimeText.vue';
import SizeText from '../../../parts/SizeText.vue';
import { useApps } from '../../../state/apps.ts';
import { useRuns } from '../../../state/runs.ts';
import NotInSystem from '../NotInSystem.vue';

/** All apps of a phone whose system runs, with facets that show what they hide. */
const props = defineProps<{ phone: PhoneView }>();
const store = useApps();
const serial = computed(() => props.phone.serial);
const allRuns = useRuns();
/** Of the newest run of this phone that has ended. */
const ended = computed(() => allRuns.list.find((run) => run.serial === serial.value && !isLive(run))?.id);
const runs = computed(() => props.phone.presence === 'here' && props.phone.facts?.mode === 'system');
const inRecovery = computed(() => {
  const { presence, facts } = props.phone;
  return presence === 'here' && facts?.mode === 'recovery' && facts.root && !allRuns.ofPhone(serial.value);
});
watch(
  [serial, runs],
  () => {
    if (runs.value) void store.load(serial.value);
  },
  { immediate: true },
);

const draft = computed(() => store.draft(serial.value));
const apps = computed(() => store.lists[serial.value]);
const error = computed(() => store.errors[serial.value]);
const filtered = computed(() =>
  filterApps(apps.value ?? [], draft.value.search, new Set(draft.value.facets), draft.value.withAside),
);
const rows = computed(() => sortApps(filtered.value.shown, draft.value.order, draft.value.descending));

// What a run changed shows when it has ended.
watch(
  () => ended.value,
  () => {
    if (runs.value) void store.load(serial.value);
  },
);

function pick(names: readonly string[], isPicked: boolean): void {
  const others = draft.value.picked.filter((name) => !names.includes(name));
  draft.value.picked = isPicked ? [...others, ...names] : others;
  draft.value.confirmed = [];
}

function toggle(key: string): void {
  const { facets } = draft.value;
  draft.value.facets = facets.includes(key) ? facets.filter((each) => each !== key) : [...facets, key];
}
function clear(): void {
  draft.value.facets = [];
  draft.value.search = '';
}
/** Facets that fitted the apps before, and hide all of those that there are now, as after a factory reset. */
const isCleared = ref(false);
watch(apps, () => {
  if (draft.value.facets.length === 0 || filtered.value.shown.length > 0 || filtered.value.hidden === 0)
    return;
  clear();
  isCleared.value = true;
});
const summed = (of: (app: AppView) => number) => filtered.value.shown.reduce((sum, app) => sum + of(app), 0);
const programBytes = computed(() => summed(({ installed }) => installed?.programBytes ?? 0));
const dataBytes = computed(() => summed(({ installed }) => installed?.dataBytes ?? 0));
const isDataKnown = computed(() =>
  filtered.value.shown.some((app) => app.installed?.dataBytes !== undefined),
);

function stateOf({ installed: app }: AppView): string {
  if (!app) return 'not installed';
  if (app.isHalfPut) return 'half put back';
  if (app.isRemoved) return 'removed';
  return !app.isEnabled ? 'disabled' : app.isRunning ? 'running' : '';
}
const copiedWords = {
  never: 'never',
  changed: 'changed',
  'as-kept': 'as kept',
  unknown: 'this version; data not seen',
} as const;
function versionOf({ installed, copies: [copy] }: AppView): string | number {
  const { versionName, versionCode } = installed ?? copy!.app;
  return versionName ?? versionCode;
}
const noPicture = { hasIcon: false, paths: [], label: '' };

const columns: readonly (LongColumn & { readonly key: AppOrder | 'state' })[] = [
  { key: 'label', title: 'App', width: 'minmax(130px, 1fr)', sortable: true },
  { key: 'version', title: 'Version', width: 'minmax(52px, 70px)', sortable: true },
  { key: 'program', title: 'Program', width: 'minmax(76px, 84px)', align: 'right', sortable: true },
  { key: 'data', title: 'Data', width: 'minmax(76px, 84px)', align: 'right', sortable: true },
  { key: 'copied', title: 'Copied', width: 'minmax(84px, 118px)', sortable: true },
  { key: 'state', title: 'Now', width: 'minmax(86px, 96px)' },
];
function sort(key: string, descending: boolean): void {
  draft.value.order = key as AppOrder;
  draft.value.descending = descending;
}
</script>

<template>
  <section v-if="runs" class="apps" aria-label="Apps">
    <div class="search">
      <ElInput
        v-model="draft.search"
        placeholder="Search by name or package"
        clearable
        aria-label="Search apps"
      />
      <ElButton :loading="store.busy[serial]" @click="store.load(serial)">Read again</ElButton>
      <RouterLink :to="{ name: 'leftovers', params: { serial } }" class="el-button left"
        >Leftovers…</RouterLink
      >
    </div>
    <PhoneUsers :serial="serial" :root="phone.facts?.root ?? false" />
    <div class="facets">
      <div v-for="facet in appFacets" :key="facet.id" class="facet" role="group" :aria-label="facet.title">
        <span class="soft">{{ facet.title }}</span>
        <ChoiceButton
          v-for="choice in facet.choices"
          :key="choice.id"
          :taken="draft.facets.includes(facetKey(facet, choice))"
          @click="toggle(facetKey(facet, choice))"
        >
          {{ choice.title }} <span class="count">{{ filtered.counts.get(facetKey(facet, choice)) }}</span>
        </ChoiceButton>
      </div>
    </div>
    <p v-if="apps" class="sum" role="status">
      {{ filtered.shown.length }} {{ filtered.shown.length === 1 ? 'app' : 'apps' }} · programs
      <SizeText :bytes="programBytes" />
      <template v-if="isDataKnown"> · data <SizeText :bytes="dataBytes" /></template>
      <template v-if="isCleared && !filtered.hidden"> · facets taken off: they hid every app</template>
      <template v-if="filtered.hidden">
        · <strong>{{ filtered.hidden }} hidden by search or facets</strong>
        <ElButton size="small" text @click="clear">Show all</ElButton>
      </template>
      <template v-if="filtered.aside || draft.withAside">
        · <strong v-if="filtered.aside">{{ filtered.aside }} set aside, not shown</strong>
        <span v-else>with those set aside</span>
        <ElButton size="small" text @click="draft.withAside = !draft.withAside">{{
          draft.withAside ? 'Leave them out' : 'Show them'
        }}</ElButton>
      </template>
      <template v-if="draft.picked.length">
        · <strong>{{ draft.picked.length }} picked</strong>
        <ElButton size="small" text @click="pick(draft.picked, false)">Pick none</ElButton>
      </template>
    </p>
    <WaitingPrograms v-if="draft.user === 0" :serial="serial" :version="apps" />
    <TurnedOffElsewhere v-if="apps && draft.user === 0" :serial="serial" :apps="apps" />
    <PurposePlans v-if="apps" :serial="serial" :apps="apps" />
    <CopyRoutineLine
      v-if="phone.facts?.root && draft.user === 0"
      :serial="serial"
      :version="`${phone.runId}`"
    />
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <p v-else-if="!apps" class="soft" role="status">Reading the apps: each program is looked into once…</p>
    <div class="box">
      <LongTable
        v-if="apps"
        :columns="columns"
        :rows="rows"
        :id-of="(app) => app.package"
        :name-of="(app) => app.label"
        :picked="draft.picked"
        :shown="draft.shown"
        :order="{ key: draft.order, descending: draft.descending }"
        empty="No app is left. Show all, or search for something else."
        @pick="pick"
        @sort="sort"
      >
        <template #label="{ row: app }">
          <button type="button" class="name" @click="draft.shown = app.package">
            <AppIcon :serial="serial" :app="app.installed ?? noPicture" />
            <span><strong>{{ app.label }}</strong><code>{{ app.package }}</code></span>
          </button>
        </template>
        <template #version="{ row }">{{ versionOf(row) }}</template>
        <template #program="{ row: { installed } }">
          <SizeText v-if="installed" :bytes="installed.programBytes" /><template v-else>–</template>
        </template>
        <template #data="{ row: { installed } }">
          <SizeText v-if="installed?.dataBytes !== undefined" :bytes="installed.dataBytes" />
          <template v-else>–</template>
        </template>
        <template #copied="{ row: { copies, change, installed } }">
          <span v-if="copies[0]" class="copied" :class="{ changed: change === 'changed' }">
            <TimeText :at="copies[0].createdAt" />
            <small>{{ installed ? copiedWords[change] : `${copies.length} kept` }}</small>
          </span>
          <template v-else>never</template>
        </template>
        <template #state="{ row }">{{ stateOf(row) }}</template>
      </LongTable>
    </div>
  </section>
  <template v-else>
    <InsideApps
      v-if="inRecovery"
      class="recovery"
      title="Apps that its owner installed, from their files"
      :subject="`${serial} recovery`"
      :load="() => api.appsInRecovery(serial)"
      :take-out="(packages) => api.takeInRecovery(serial, packages)"
    />
    <NotInSystem :phone="phone" what="Apps" />
  </template>
</template>

<style scoped>
.apps {
  display: grid;
  gap: 7px;
}

.search {
  display: flex;
  gap: 8px;
}

.left {
  text-decoration: none;
}

.facet {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 5px;
  font-size: 13px;
}

.facets {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
}

.facet > .soft {
  min-width: 44px;
}

.count {
  margin-left: 3px;
  font-variant-numeric: tabular-nums;
  opacity: 0.8;
}

.sum {
  font-size: 13px;
}

/* What the window leaves below the facets, so that the list scrolls by itself. */
.box {
  height: max(300px, calc(100vh - 440px));
}

.name {
  display: flex;
  align-items: center;
  gap: 9px;
  width: 100%;
  min-width: 0;
  padding: 2px 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.name > span:last-child {
  display: grid;
  min-width: 0;
  line-height: 1.25;
}

.name code {
  overflow: hidden;
  color: var(--ink-soft);
  font-size: 11.5px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.copied {
  display: grid;
  line-height: 1.2;
}

.copied small {
  color: var(--ink-soft);
  font-size: 11.5px;
}

.changed small {
  color: var(--quince);
  font-weight: 700;
}

.recovery {
  max-width: 640px;
  margin: 16px auto 0;
}
</style>
