<script setup lang="ts">
import { ElOption, ElSelect, ElTable, ElTableColumn } from 'element-plus';
import { computed, watch } from 'vue';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { PlannedImport } from '@keen-larder/core/larder/import-plan.ts';
import { usualPartitions } from '@keen-larder/core/phone/roles.ts';
import PickColumn from '../../parts/table/PickColumn.vue';
import SizeText from '../../parts/SizeText.vue';
import { useImports } from '../../state/imports.ts';
import { usePicks } from '../../state/picks.ts';

/** What each file was found to be, and which partition it is the image of. */
const props = defineProps<{ found: ImportView }>();
const store = useImports();
const picks = usePicks();
const draft = computed(() => store.draft(props.found));
watch(
  () => store.alike(draft.value),
  () => store.learn(props.found),
  { immediate: true },
);
const names = computed(() => {
  const known = store.known[store.alike(draft.value)] ?? [];
  return known.length > 0 ? known : usualPartitions;
});

const keyOf = (row: PlannedImport) => row.paths[0]!;
const usable = computed(() => props.found.images.filter(({ fault }) => !fault).map(keyOf));

/** A file that a partition is chosen for is wanted. */
function choose(row: PlannedImport, partition: string): void {
  const key = keyOf(row);
  draft.value.partitions[key] = partition;
  const others = draft.value.picked.filter((each) => each !== key);
  picks.set(draft.value, partition ? [...others, key] : others);
}
</script>

<template>
  <ElTable :data="[...found.images]" size="small" :row-key="keyOf">
    <PickColumn
      what="files"
      :names="usable"
      :picked="draft.picked"
      :name-of="keyOf"
      @toggle="(name) => picks.toggle(draft, name)"
      @all="(all) => picks.set(draft, all)"
    />
    <ElTableColumn label="File" min-width="96">
      <template #default="{ row }">
        <span class="path" :title="row.paths.join('\n')">{{ keyOf(row as PlannedImport) }}</span>
        <span v-if="row.paths.length > 1" class="soft"> and {{ row.paths.length - 1 }} more parts</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="What it is" min-width="108">
      <template #default="{ row }">
        <span v-if="row.fault" class="fault">{{ row.fault }}</span>
        <template v-else>{{ row.layers.join(' › ') }}</template>
        <span v-for="note in row.notes" :key="note" class="note">{{ note }}</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="Packed" align="right" width="68">
      <template #default="{ row }"><SizeText :bytes="row.bytes" /></template>
    </ElTableColumn>
    <ElTableColumn label="Image" align="right" width="68">
      <template #default="{ row }"
        ><SizeText v-if="row.imageBytes !== undefined" :bytes="row.imageBytes" /><span
          v-else
          title="It is known once it has been unpacked"
          >–</span
        ></template
      >
    </ElTableColumn>
    <ElTableColumn label="Partition" width="142">
      <template #default="{ row }">
        <ElSelect
          v-if="!row.fault"
          :model-value="store.partitionOf(found, row as PlannedImport)"
          size="small"
          filterable
          allow-create
          clearable
          default-first-option
          placeholder="leave out"
          :aria-label="`Partition of ${keyOf(row as PlannedImport)}`"
          @update:model-value="(name: string | undefined) => choose(row as PlannedImport, name ?? '')"
        >
          <ElOption v-for="name in names" :key="name" :value="name" />
        </ElSelect>
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.path {
  overflow-wrap: anywhere;
}

.fault {
  color: var(--beetroot);
}

.note {
  display: block;
  color: var(--quince);
}
</style>
