<script setup lang="ts">
import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { Import, ShieldCheck, Trash2 } from 'lucide-vue-next';
import { computed, onMounted } from 'vue';
import { api } from '../../api/client.ts';
import EmptyState from '../../parts/EmptyState.vue';
import LongTable from '../../parts/table/LongTable.vue';
import type { LongColumn } from '../../parts/table/long-table.ts';
import SizeText from '../../parts/SizeText.vue';
import TimeText from '../../parts/TimeText.vue';
import { changeKept, useCopies, type KeptCopy } from '../../state/larder/copies.ts';
import { announceError, useNotices } from '../../state/notices/notices.ts';
import { useRuns } from '../../state/runs.ts';

/** All copies of apps and of personal records, of whichever phone. */
const store = useCopies();
const runs = useRuns();
const { draft } = store;
onMounted(() => void store.load());

const source = computed(() => (draft.binShown ? store.binned : store.kept));
const phones = computed(() => [
  ...new Map(store.all.map(({ view }) => [view.serial, view.nickname] as const)),
]);
const textOf = ({ title, detail, version, view }: KeptCopy) =>
  [title, detail, version, view.nickname, view.serial, view.note].join(' ').toLowerCase();
const shown = computed(() => {
  const words = draft.search.toLowerCase().split(/\s+/).filter(Boolean);
  return source.value.filter(
    (copy) =>
      (!draft.serial || copy.view.serial === draft.serial) &&
      (!draft.kind || copy.kind === draft.kind) &&
      words.every((word) => textOf(copy).includes(word)),
  );
});
const hidden = computed(() => source.value.length - shown.value.length);
const bytes = computed(() => shown.value.reduce((sum, { view }) => sum + view.bytes, 0));
const picked = computed(() => source.value.filter(({ id }) => draft.picked.includes(id)));

function pick(ids: readonly string[], isPicked: boolean): void {
  const others = draft.picked.filter((id) => !ids.includes(id));
  draft.picked = isPicked ? [...others, ...ids] : others;
  // The tray tells about what is picked.
  draft.shown = undefined;
}
function clear(): void {
  [draft.search, draft.serial, draft.kind] = ['', '', ''];
}
function showBin(is: boolean): void {
  draft.binShown = is;
  draft.picked = [];
}

async function verify(): Promise<void> {
  const idsOf = (kind: KeptCopy['kind']) =>
    picked.value.flatMap((copy) => (copy.kind === kind ? [copy.id] : []));
  try {
    const run = await api.verifyCopies({ apps: idsOf('app'), records: idsOf('records') });
    runs.take(run);
    runs.inTray = run.id;
    draft.picked = [];
  } catch (failure) {
    announceError(failure);
  }
}

/** Into the bin or out of it, with a way back on the notice. */
async function move(copies: readonly KeptCopy[], binned: boolean): Promise<void> {
  try {
    for (const copy of copies) await changeKept(copy, { binned });
  } catch (failure) {
    announceError(failure);
  }
  draft.picked = [];
  await store.load();
  if (!binned || copies.length === 0) return;
  useNotices().say({
    kind: 'caution',
    title: `In the bin for ${binDays} days`,
    message: copies.length === 1 ? `A copy of ${copies[0]!.title}.` : `${copies.length} copies.`,
    action: { text: 'Take back', run: () => void move(copies, false) },
  });
}

const origins = { phone: '', image: 'out of an image', imported: 'imported' } as const;
const kinds = ({ view }: KeptCopy) => {
  const parts = view.parts.map(({ kind }) => String(kind));
  if (!('app' in view)) return `${parts.length} ${parts.length === 1 ? 'file' : 'files'}`;
  const has = (isProgram: boolean) => parts.some((kind) => (kind === 'program') === isProgram);
  return [...(has(true) ? ['program'] : []), ...(has(false) ? ['data'] : [])].join(' + ');
};
const columns: readonly LongColumn[] = [
  { key: 'title', title: 'Copy of', width: 'minmax(110px, 1.6fr)' },
  { key: 'phone', title: 'Phone', width: 'minmax(76px, 112px)' },
  { key: 'taken', title: 'Taken', width: 'minmax(78px, 104px)' },
  { key: 'what', title: 'Holds', width: 'minmax(84px, 132px)' },
  { key: 'size', title: 'Size', width: 'minmax(84px, 88px)', align: 'right' },
  { key: 'state', title: 'Note', width: 'minmax(48px, 1fr)' },
];
</script>

<template>
  <section class="copies" aria-label="Copies of apps and records">
    <RouterLink to="/larder" class="back">Larder</RouterLink>
    <h1>Copies of apps and records</h1>
    <div class="filters">
      <ElInput
        v-model="draft.search"
        data-filter
        placeholder="App, package, phone, note…"
        clearable
        aria-label="Filter the copies"
        class="words"
      />
      <ElSelect v-model="draft.kind" placeholder="apps and records" clearable aria-label="Kind" class="kind">
        <ElOption value="app" label="apps" />
        <ElOption value="records" label="records" />
      </ElSelect>
      <ElSelect v-model="draft.serial" placeholder="any phone" clearable aria-label="Phone" class="kind">
        <ElOption v-for="[each, nickname] in phones" :key="each" :value="each" :label="nickname" />
      </ElSelect>
      <span class="end">
        <RouterLink to="/larder/import" class="el-button el-button--small import">
          <Import :size="15" aria-hidden="true" />&nbsp;Import…
        </RouterLink>
        <ElButton
          v-if="store.binned.length || draft.binShown"
          size="small"
          :aria-pressed="draft.binShown"
          @click="showBin(!draft.binShown)"
          >{{ draft.binShown ? 'Back to the copies' : `Bin (${store.binned.length})` }}</ElButton
        >
      </span>
    </div>
    <p class="sum" role="status">
      {{ shown.length }} {{ shown.length === 1 ? 'copy' : 'copies' }} · <SizeText :bytes="bytes" />
      <template v-if="draft.binShown">
        · deleted for good {{ binDays }} days after they were put into the bin</template
      >
      <template v-if="hidden">
        · <strong>{{ hidden }} hidden by the filter</strong>
        <ElButton size="small" text @click="clear">Show all</ElButton>
      </template>
      <span v-if="picked.length" class="does">
        <strong>{{ picked.length }} picked</strong>
        <template v-if="draft.binShown">
          <ElButton size="small" @click="move(picked, false)">Take out of the bin</ElButton>
        </template>
        <template v-else>
          <ElButton size="small" @click="verify"
            ><ShieldCheck :size="15" aria-hidden="true" />&nbsp;Verify</ElButton
          >
          <ElButton size="small" @click="move(picked, true)"
            ><Trash2 :size="15" aria-hidden="true" />&nbsp;Put into the bin</ElButton
          >
        </template>
        <ElButton size="small" text @click="draft.picked = []">Pick none</ElButton>
      </span>
    </p>
    <p v-if="store.error" class="error" role="alert">{{ store.error }}</p>
    <EmptyState
      v-if="store.loaded && source.length === 0"
      :title="draft.binShown ? 'The bin is empty' : 'No copy yet'"
    >
      <template v-if="!draft.binShown">
        Copies are made on a phone’s Apps and Records pages, taken out of kept images of user data, or
        <RouterLink to="/larder/import">imported</RouterLink>.
      </template>
    </EmptyState>
    <div v-else class="box">
      <LongTable
        v-if="store.loaded"
        :columns="columns"
        :rows="shown"
        :id-of="({ id }) => id"
        :name-of="({ title, view }) => `${title} of ${view.nickname}`"
        :picked="draft.picked"
        :shown="draft.shown"
        empty="No copy matches the filter."
        @pick="pick"
      >
        <template #title="{ row: copy }">
          <button type="button" class="name" @click="draft.shown = copy.id">
            <span><strong>{{ copy.title }}</strong> {{ copy.version }}</span>
            <component :is="copy.kind === 'app' ? 'code' : 'small'">{{ copy.detail }}</component>
          </button>
        </template>
        <template #phone="{ row: { view } }">{{ view.nickname }}</template>
        <template #taken="{ row: { view } }"><TimeText :at="view.createdAt" /></template>
        <template #what="{ row }">{{ kinds(row) }}</template>
        <template #size="{ row: { view } }"><SizeText :bytes="view.bytes" /></template>
        <!-- What must not be missed of a copy comes before its note. -->
        <template #state="{ row: { damage, view } }">
          <strong v-if="damage.length" class="damaged" :title="damage.join('\n')">damaged</strong>
          <span v-else class="soft" :title="view.note">{{ view.note || origins[view.origin] }}</span>
        </template>
      </LongTable>
    </div>
  </section>
</template>

<style scoped>
.copies {
  display: grid;
  gap: 8px;
}

.back {
  font-size: 13px;
}

h1 {
  font-size: 24px;
}

.filters,
.end {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}

.words {
  width: 230px;
}

.kind {
  width: 150px;
}

.end {
  margin-left: auto;
}

.import {
  text-decoration: none;
}

.sum {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px;
  min-height: 26px;
  font-size: 13px;
}

.does {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin-left: auto;
}

.does .el-button {
  margin-left: 0;
}

.box {
  height: calc(100vh - 262px);
  min-height: 220px;
}

.name {
  display: grid;
  min-width: 0;
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.name > * {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.name code,
.name small {
  color: var(--ink-soft);
  font-size: 11.5px;
}

.damaged {
  color: var(--beetroot);
}
</style>
