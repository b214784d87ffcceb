<script setup lang="ts">
import { ElOption, ElSelect, ElTable, ElTableColumn } from 'element-plus';
import { computed, onMounted } from 'vue';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { PlannedCopy } from '@keen-larder/core/apps/import-plan.ts';
import PickColumn from '../../parts/table/PickColumn.vue';
import SizeText from '../../parts/SizeText.vue';
import TimeText from '../../parts/TimeText.vue';
import { useCopies } from '../../state/larder/copies.ts';
import { useImports } from '../../state/imports.ts';
import { usePicks } from '../../state/picks.ts';

/** Apps among the files: what each was found to be, and of which app an archive is that does not say. */
const props = defineProps<{ found: ImportView }>();
const store = useImports();
const picks = usePicks();
const copies = useCopies();
onMounted(() => void copies.load());
const draft = computed(() => store.copiesDraft(props.found));
const keyOf = ({ path }: PlannedCopy) => path;
const usable = computed(() => props.found.copies.filter(({ fault }) => !fault).map(keyOf));
const known = computed(() => [
  ...new Map(copies.all.flatMap((copy) => (copy.kind === 'app' ? [[copy.detail, copy.title] as const] : []))),
]);
const bytesOf = ({ parts }: PlannedCopy) => parts.reduce((sum, { bytes }) => sum + bytes, 0);

function choose({ path }: PlannedCopy, name: string): void {
  draft.value.packages[path] = name;
  const others = draft.value.picked.filter((each) => each !== path);
  picks.set(draft.value, name ? [...others, path] : others);
}
</script>

<template>
  <ElTable :data="[...found.copies]" size="small" :row-key="keyOf">
    <PickColumn
      what="copies"
      :names="usable"
      :picked="draft.picked"
      :name-of="keyOf"
      @toggle="(name) => picks.toggle(draft, name)"
      @all="(all) => picks.set(draft, all)"
    />
    <ElTableColumn label="App" min-width="170">
      <template #default="{ row }">
        <template v-if="row.app">
          <strong>{{ row.app.label }}</strong> {{ row.app.versionName ?? row.app.versionCode }}
          <code class="under soft">{{ row.app.package }}</code>
        </template>
        <ElSelect
          v-else
          :model-value="draft.packages[row.path] ?? ''"
          size="small"
          filterable
          allow-create
          clearable
          default-first-option
          placeholder="of which app?"
          :aria-label="`App of ${row.path}`"
          @update:model-value="(name: string | undefined) => choose(row as PlannedCopy, name ?? '')"
        >
          <ElOption v-for="[name, label] in known" :key="name" :value="name" :label="`${label} · ${name}`" />
        </ElSelect>
        <span v-if="row.fault" class="fault">{{ row.fault }}</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="Files" min-width="150">
      <template #default="{ row }">
        <span v-for="part in row.parts" :key="part.path" class="under file" :title="part.path">{{
          part.path.split('/').at(-1)
        }}</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="Comes from" min-width="110">
      <template #default="{ row }">
        <template v-if="row.from">
          {{ row.from.nickname }}
          <span class="under soft"><TimeText :at="row.copiedAt" /></span>
        </template>
        <span v-else class="soft">no description</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="Size" align="right" width="84">
      <template #default="{ row }"><SizeText :bytes="bytesOf(row as PlannedCopy)" /></template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.under {
  display: block;
  font-size: 11.5px;
}

.file {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.fault {
  display: block;
  color: var(--beetroot);
}
</style>
