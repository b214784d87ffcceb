<script setup lang="ts">
import { ElTable, ElTableColumn } from 'element-plus';
import { computed } from 'vue';
import type { PartitionView } from '@keen-larder/contract/bench.ts';
import { byRole } from '@keen-larder/core/phone/roles.ts';
import PickColumn from '../../../parts/table/PickColumn.vue';
import RoleColumn from '../../../parts/roles/RoleColumn.vue';
import SizeText from '../../../parts/SizeText.vue';
import TimeText from '../../../parts/TimeText.vue';
import { exactTime } from '../../../parts/time.ts';

const props = defineProps<{ partitions: readonly PartitionView[]; picked: readonly string[] }>();
const emit = defineEmits<{ toggle: [name: string]; all: [names: string[]] }>();

const rows = computed(() => [...props.partitions].sort(byRole));
const isPicked = (name: string) => props.picked.includes(name);
const bySize = (a: PartitionView, b: PartitionView) => a.bytes - b.bytes;
const byUse = (a: PartitionView, b: PartitionView) => (a.usedBytes ?? -1) - (b.usedBytes ?? -1);
const byKept = (a: PartitionView, b: PartitionView) => (a.kept?.at ?? 0) - (b.kept?.at ?? 0);
</script>

<template>
  <ElTable
    :data="rows"
    size="small"
    row-key="name"
    :row-class-name="({ row }: { row: PartitionView }) => (isPicked(row.name) ? 'picked' : '')"
    @row-click="(row: PartitionView) => emit('toggle', row.name)"
  >
    <PickColumn
      what="partitions"
      :names="partitions.map(({ name }) => name)"
      :picked="picked"
      :name-of="(row: PartitionView) => row.name"
      @toggle="(name) => emit('toggle', name)"
      @all="(names) => emit('all', names)"
    />
    <ElTableColumn label="Partition" prop="name" sortable min-width="98">
      <template #default="{ row }">
        <code>{{ row.name }}</code>
        <span v-if="row.neverWritten" class="soft"> never written</span>
      </template>
    </ElTableColumn>
    <RoleColumn />
    <ElTableColumn label="Size" align="right" width="84" sortable :sort-method="bySize">
      <template #default="{ row }"><SizeText :bytes="row.bytes" /></template>
    </ElTableColumn>
    <ElTableColumn label="In use" align="right" width="86" sortable :sort-method="byUse">
      <template #default="{ row }">
        <SizeText v-if="row.usedBytes !== undefined" :bytes="row.usedBytes" />
        <span v-else class="soft" title="Only file systems tell">–</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="Holds" min-width="90">
      <template #default="{ row }">
        {{ row.fileSystem ?? '' }}<span v-if="row.within" class="soft"> within {{ row.within }}</span
        ><span v-if="row.mount" class="soft"> at {{ row.mount.at }}</span>
        <span v-if="row.finding" class="finding" :title="row.finding">not readable at its beginning</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="Last kept" min-width="104" sortable :sort-method="byKept">
      <template #default="{ row }">
        <RouterLink
          v-if="row.kept"
          :to="{ name: 'set', params: { id: row.kept.setId } }"
          :title="row.kept.label"
          @click.stop
        >
          <TimeText :at="row.kept.at" />
        </RouterLink>
        <span v-else class="soft">never</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="Since then" min-width="96">
      <template #default="{ row }">
        <RouterLink
          v-if="row.halfWritten"
          class="half"
          :to="{ name: 'runs', params: { id: row.halfWritten } }"
          title="Its writing broke off: resume the run, or put it back, before starting the phone"
          @click.stop
          >half written</RouterLink
        >
        <span
          v-else-if="row.since"
          :class="{ changed: row.since.changed }"
          :title="`compared ${exactTime(row.since.at)}`"
        >
          {{ row.since.changed ? 'changed' : 'unchanged' }}
        </span>
        <span v-else class="soft" title="Compare it with the larder to know">–</span>
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
:deep(.el-table__row) {
  cursor: pointer;
}

.finding {
  color: var(--quince);
}

.half {
  color: var(--beetroot);
  font-weight: 600;
}

.changed {
  color: var(--quince);
  font-weight: 600;
}

:deep(.picked td) {
  background: var(--action-tint);
}
</style>
