<script setup lang="ts">
import { ElButton, ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { PartitionView, PhoneView } from '@keen-larder/contract/bench.ts';
import { archiveOf } from '@keen-larder/core/phone/archives.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { lastPick, purposesOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { api } from '../../../api/client.ts';
import StorageMap from '../../../charts/StorageMap.vue';
import type { Lid, MapScale } from '../../../charts/storage-layout.ts';
import MapLegend from '../../../charts/MapLegend.vue';
import EmptyState from '../../../parts/EmptyState.vue';
import { useBench } from '../../../state/bench.ts';
import { useLarder } from '../../../state/larder.ts';
import { announceError } from '../../../state/notices/notices.ts';
import { usePicks } from '../../../state/picks.ts';
import { useRuns } from '../../../state/runs.ts';
import AsItIs from './AsItIs.vue';
import PartitionTable from './PartitionTable.vue';

const props = defineProps<{ phone: PhoneView }>();
const route = useRoute();
const router = useRouter();
const bench = useBench();
const larder = useLarder();
const store = usePicks();
const runs = useRuns();
const picks = computed(() => store.forPhone(props.phone.serial));
const scale = ref<MapScale>('logarithmic');

watch(
  () => [props.phone.serial, props.phone.facts?.mode, props.phone.runId, larder.version] as const,
  ([serial]) => void bench.loadPartitions(serial),
  { immediate: true },
);

const partitions = computed(() => bench.partitions[props.phone.serial]);
const error = computed(() => bench.partitionsError[props.phone.serial]);
const mapped = computed(() =>
  (partitions.value ?? [])
    .filter(({ archive, within }) => !archive && !within)
    .map((each) => ({
      name: each.name,
      role: each.role,
      bytes: each.bytes,
      ...(each.usedBytes !== undefined && { usedBytes: each.usedBytes }),
      lid: lidOf(each),
      isHalfWritten: each.halfWritten !== undefined,
    })),
);

function lidOf({ kept, since }: PartitionView): Lid {
  if (!kept) return 'none';
  if (!since) return 'kept';
  return since.changed ? 'changed' : 'same';
}

/** Compares what is picked, or all that was ever kept, with the larder. */
const canCompare = computed(() =>
  (partitions.value ?? []).some(({ name, kept }) => kept && !archiveOf(name)),
);
function compare(): void {
  const picked = picks.value.picked.filter(
    (name) => partitions.value?.find((each) => each.name === name)?.kept,
  );
  api
    .compare(props.phone.serial, picked.length ? picked : undefined)
    .then((run) => void runs.take(run), announceError);
}

/** Usual picks, and that of the newest set. */
const bundles = computed(() => purposesOf(partitions.value ?? [], lastPick(partitions.value ?? [])));
/** A pick that the address asks for, as the palette does; once it is made the address is as before. */
watch(
  () => [bundles.value, route.query['keep']] as const,
  ([known, wanted]) => {
    const bundle = known.find(({ id }) => id === wanted);
    if (!bundle) return;
    store.set(picks.value, bundle.picked);
    void router.replace({ query: {} });
  },
  { immediate: true },
);
const same = (a: readonly string[], b: readonly string[]) =>
  a.length === b.length && a.every((name) => b.includes(name));
const chosen = computed(() => bundles.value.find(({ picked }) => same(picked, picks.value.picked)));
const pickedBytes = computed(() =>
  (partitions.value ?? [])
    .filter(({ name }) => picks.value.picked.includes(name))
    .reduce((sum, { bytes }) => sum + bytes, 0),
);
</script>

<template>
  <AsItIs
    v-if="phone.facts?.mode === 'system' && !phone.facts.root && (partitions || error)"
    :key="phone.serial"
    :phone="phone"
    :shared-bytes="partitions?.find(({ name }) => name === 'shared-storage')?.bytes"
  />
  <section v-if="partitions?.length" aria-label="Storage">
    <div class="tools">
      <h2>Storage</h2>
      <ElButton
        v-for="bundle in bundles"
        :key="bundle.id"
        size="small"
        :type="same(bundle.picked, picks.picked) ? 'primary' : 'default'"
        :aria-pressed="same(bundle.picked, picks.picked)"
        :title="`${bundle.picked.length} partitions; ${bundle.leavesOut}`"
        @click="store.set(picks, bundle.picked)"
      >
        {{ bundle.name }}
      </ElButton>
      <ElButton v-if="picks.picked.length" size="small" text @click="store.set(picks, [])">None</ElButton>
      <ElButton
        v-if="canCompare"
        size="small"
        class="compare"
        :disabled="phone.runId !== undefined"
        title="The phone digests what lies there now, and the larder says what changed since it was kept"
        @click="compare"
      >
        {{ picks.picked.length ? 'Compare picked' : 'Compare' }}
      </ElButton>
    </div>
    <StorageMap
      :partitions="mapped"
      :picked="picks.picked"
      :scale="scale"
      @toggle="(name) => store.toggle(picks, name)"
    />
    <div class="sum soft">
      <p aria-live="polite">
        {{ picks.picked.length }} of {{ partitions.length }} picked · {{ sizeText(pickedBytes)
        }}<template v-if="chosen"> · {{ chosen.leavesOut }}</template>
      </p>
      <MapLegend />
      <ElRadioGroup v-model="scale" size="small" aria-label="Scale of the map" class="scale">
        <ElRadioButton value="logarithmic">log</ElRadioButton>
        <ElRadioButton value="true">true</ElRadioButton>
      </ElRadioGroup>
    </div>
    <PartitionTable
      :partitions="partitions"
      :picked="picks.picked"
      @toggle="(name) => store.toggle(picks, name)"
      @all="(names) => store.set(picks, names)"
    />
  </section>
  <EmptyState v-else-if="error && !partitions" title="The partitions cannot be shown">{{ error }}</EmptyState>
  <p v-else-if="!partitions" class="soft">Reading the partition table…</p>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin-bottom: 8px;
  padding-top: 10px;
  border-top: 1px solid var(--rule);
}

.tools .el-button {
  margin: 0;
}

.tools .compare {
  margin-left: auto;
}

h2 {
  margin-right: 6px;
  font-size: 16px;
}

.sum {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 4px 14px;
  margin: 8px 0 4px;
  font-size: 13px;
}
</style>
