<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { ElButton, ElCheckbox, ElInput, ElOption, ElSelect, ElTableV2, type Column } from 'element-plus';
import { Import, ShieldCheck, Trash2 } from 'lucide-vue-next';
import { computed, h, onMounted, useTemplateRef, type VNode } from 'vue';
import { api } from '../../api/client.ts';
import EmptyState from '../../parts/EmptyState.vue';
import SizeText from '../../parts/SizeText.vue';
import TimeText from '../../parts/TimeText.vue';
import { changeKept, useCopies, type KeptCopy } from '../../state/copies.ts';
import { announceError, useNotices } from '../../state/notices.ts';
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
const pickedShown = computed(() => shown.value.filter(({ id }) => draft.picked.includes(id)).length);

function pick(ids: readonly string[], isPicked: boolean): void {
  const others = draft.picked.filter((id) => !ids.includes(id));
  draft.picked = isPicked ? [...others, ...ids] : others;
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
    title: 'In the bin for a day',
    message: copies.length === 1 ? `A copy of ${copies[0]!.title}.` : `${copies.length} copies.`,
    action: { text: 'Take back', run: () => void move(copies, false) },
  });
}

interface Row {
  readonly id: string;
  readonly copy: KeptCopy;
}
const rows = computed(() => shown.value.map((copy) => ({ id: copy.id, copy })));
const box = useTemplateRef<HTMLElement>('box');
const { width, height } = useElementSize(box);
const origins = { phone: '', image: 'out of an image', imported: 'imported' } as const;
const kinds = ({ view }: KeptCopy) => {
  const parts = view.parts.map(({ kind }) => String(kind));
  if (!('app' in view)) return `${parts.length} ${parts.length === 1 ? 'file' : 'files'}`;
  const has = (isProgram: boolean) => parts.some((kind) => (kind === 'program') === isProgram);
  return [...(has(true) ? ['program'] : []), ...(has(false) ? ['data'] : [])].join(' + ');
};
/** What must not be missed of a copy. */
function stateCell({ damage, view }: KeptCopy): VNode {
  if (damage.length > 0) return h('strong', { class: 'damaged', title: damage.join('\n') }, 'damaged');
  return h('span', { class: 'soft', title: view.note }, view.note || origins[view.origin]);
}
const sizes = { pick: 38, phone: 112, taken: 104, what: 132, size: 88 };
const cell =
  (of: (copy: KeptCopy) => VNode | string) =>
  ({ rowData }: { rowData: Row }) =>
    h('span', { class: 'cell' }, [of(rowData.copy)]);
const columns = computed((): Column<Row>[] => {
  const rest = width.value - Object.values(sizes).reduce((sum, each) => sum + each, 0);
  const name = Math.max(150, rest * 0.62);
  return [
    {
      key: 'pick',
      width: sizes.pick,
      cellRenderer: ({ rowData }: { rowData: Row }) =>
        h(ElCheckbox, {
          modelValue: draft.picked.includes(rowData.id),
          ariaLabel: `Pick ${rowData.copy.title} of ${rowData.copy.view.nickname}`,
          'onUpdate:modelValue': (is) => pick([rowData.id], Boolean(is)),
        }),
      headerCellRenderer: () =>
        h(ElCheckbox, {
          modelValue: pickedShown.value > 0 && pickedShown.value === shown.value.length,
          indeterminate: pickedShown.value > 0 && pickedShown.value < shown.value.length,
          ariaLabel: 'Pick all that are shown',
          'onUpdate:modelValue': (is) =>
            pick(
              shown.value.map(({ id }) => id),
              Boolean(is),
            ),
        }),
    },
    {
      key: 'title',
      title: 'Copy of',
      width: name,
      cellRenderer: ({ rowData: { copy } }: { rowData: Row }) =>
        h('button', { type: 'button', class: 'name', onClick: () => (draft.shown = copy.id) }, [
          h('span', [h('strong', copy.title), ` ${copy.version}`]),
          copy.kind === 'app' ? h('code', copy.detail) : h('small', copy.detail),
        ]),
    },
    { key: 'phone', title: 'Phone', width: sizes.phone, cellRenderer: cell(({ view }) => view.nickname) },
    {
      key: 'taken',
      title: 'Taken',
      width: sizes.taken,
      cellRenderer: cell(({ view }) => h(TimeText, { at: view.createdAt })),
    },
    { key: 'what', title: 'Holds', width: sizes.what, cellRenderer: cell(kinds) },
    {
      key: 'size',
      title: 'Size',
      width: sizes.size,
      align: 'right',
      cellRenderer: cell(({ view }) => h(SizeText, { bytes: view.bytes })),
    },
    { key: 'state', title: 'Note', width: Math.max(90, rest - name), cellRenderer: cell(stateCell) },
  ];
});
const rowClass = ({ rowData }: { rowData: Row }) =>
  draft.picked.includes(rowData.id) ? 'picked' : rowData.id === draft.shown ? 'shown' : '';
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
      <template v-if="draft.binShown"> · gone for good a day after they were put into the bin</template>
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
    <div v-else ref="box" class="box">
      <ElTableV2
        v-if="store.loaded && width > 0"
        :columns="columns"
        :data="rows"
        :width="width"
        :height="Math.max(200, height)"
        :row-height="42"
        :header-height="34"
        :row-class="rowClass"
      >
        <template #empty><p class="soft none">No copy matches the filter.</p></template>
      </ElTableV2>
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

.error {
  color: var(--beetroot);
}

.box {
  height: calc(100vh - 262px);
  min-height: 220px;
}

.none {
  padding: 14px;
}

.box :deep(.name) {
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

.box :deep(.name > *),
.box :deep(.cell) {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.box :deep(.name code),
.box :deep(.name small) {
  color: var(--ink-soft);
  font-size: 11.5px;
}

.box :deep(.damaged) {
  color: var(--beetroot);
}

.box :deep(.picked) {
  background: var(--action-tint);
}

.box :deep(.shown) {
  background: var(--panel);
}
</style>
