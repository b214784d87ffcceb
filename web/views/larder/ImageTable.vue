<script setup lang="ts">
import { ElTable, ElTableColumn } from 'element-plus';
import { Download } from 'lucide-vue-next';
import { computed } from 'vue';
import type { ImageView, SetDetail } from '@keen-larder/contract/sets.ts';
import { rangesBytes, rangesText } from '@keen-larder/core/bytes/ranges.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { proofWords } from '@keen-larder/core/phone/proof-ways.ts';
import { byRole } from '@keen-larder/core/phone/roles.ts';
import { downloads } from '../../api/addresses.ts';
import CopyText from '../../parts/CopyText.vue';
import PickColumn from '../../parts/table/PickColumn.vue';
import RoleColumn from '../../parts/roles/RoleColumn.vue';
import SizeText from '../../parts/SizeText.vue';

/** What a set holds; what is picked here is what the tray puts back. */
const props = defineProps<{ set: SetDetail; picked: readonly string[] }>();
const emit = defineEmits<{ toggle: [name: string]; all: [names: string[]] }>();
const rows = computed(() => [...props.set.images].sort((a, b) => byRole(named(a), named(b))));
const named = ({ role, partition }: ImageView) => ({ role, name: partition });
/** What is special about it, in a few words. */
const kindOf = ({ kind, ranges, unsettled, proof }: ImageView) =>
  [
    kind === 'archive' ? 'archive of files' : '',
    ranges ? `blocks in use, ${sizeText(rangesBytes(ranges))}` : '',
    unsettled ? `not complete at ${rangesText(unsettled)}` : '',
    proof && proof !== 'sha256' ? `proved by ${proofWords[proof]}` : '',
  ]
    .filter(Boolean)
    .join(', ');
/** What the digest covers. */
const digestName = ({ partition, ranges }: ImageView) =>
  ranges ? `SHA-256 of the blocks in use of ${partition}` : `SHA-256 of ${partition}`;
const fileName = ({ partition, kind }: ImageView) => `${partition}${kind === 'archive' ? '.tar' : '.img'}`;
const bySize = (a: ImageView, b: ImageView) => a.bytes - b.bytes;
</script>

<template>
  <ElTable
    :data="rows"
    size="small"
    row-key="partition"
    :row-class-name="({ row }: { row: ImageView }) => (picked.includes(row.partition) ? 'picked' : '')"
  >
    <PickColumn
      what="images"
      :names="set.images.map(({ partition }) => partition)"
      :picked="picked"
      :name-of="(row: ImageView) => row.partition"
      @toggle="(name) => emit('toggle', name)"
      @all="(names) => emit('all', names)"
    />
    <ElTableColumn label="Image" prop="partition" sortable min-width="96">
      <template #default="{ row }"
        ><RouterLink
          :to="{ name: 'inside', params: { id: set.id, partition: row.partition } }"
          title="Look inside"
          ><code>{{ row.partition }}</code></RouterLink
        ><span v-if="kindOf(row as ImageView)" class="kind">{{ kindOf(row as ImageView) }}</span></template
      >
    </ElTableColumn>
    <RoleColumn />
    <ElTableColumn label="Size" align="right" width="84" sortable :sort-method="bySize">
      <template #default="{ row }"><SizeText :bytes="row.bytes" /></template>
    </ElTableColumn>
    <ElTableColumn label="SHA-256" min-width="180">
      <template #default="{ row }">
        <span v-if="row.damage" class="damage" :title="row.damage">damaged</span>
        <CopyText v-else :value="row.sha256" :name="digestName(row as ImageView)" short />
      </template>
    </ElTableColumn>
    <ElTableColumn label="Raw" width="68" align="center">
      <template #default="{ row }">
        <a
          :href="downloads.raw(set.id, row.partition)"
          download
          :aria-label="`Download ${fileName(row as ImageView)}`"
          :title="`Download ${fileName(row as ImageView)}`"
        >
          <Download :size="15" aria-hidden="true" />
        </a>
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.kind {
  display: block;
  color: var(--ink-soft);
  font-size: 12px;
  line-height: 1.25;
}

.damage {
  color: var(--beetroot);
  font-weight: 700;
}

:deep(.picked td) {
  background: var(--action-tint);
}
</style>
