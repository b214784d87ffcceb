<script setup lang="ts">
import { ElCheckbox, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute } from 'vue-router';
import type { ComparedFile, FileComparison, FileDifference } from '@keen-larder/contract/comparing.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import LongTable from '../../../parts/table/LongTable.vue';
import ComparedText from './ComparedText.vue';

/** Which files of two trees differ, and in what. */
const props = defineProps<{ id: string; other: string; partition: string; part: string }>();
const route = useRoute();
const comparison = shallowRef<FileComparison>();
const error = ref<string>();
const sought = ref('');
const showsOnlyTime = ref(false);
const chosen = computed(() => {
  const path = route.query['file'];
  return comparison.value?.differences.find((each) => each.path === path);
});

watch(
  () => props.part,
  async (part) => {
    try {
      comparison.value = await api.compareFiles(props.id, props.other, props.partition, part);
      error.value = undefined;
    } catch (failure) {
      error.value = (failure as Error).message;
    }
  },
  { immediate: true },
);

const isOnlyTime = ({ changes }: FileDifference) => changes.length === 1 && changes[0] === 'time';
const rows = computed(() =>
  (comparison.value?.differences ?? []).filter(
    (each) =>
      (showsOnlyTime.value || !isOnlyTime(each)) &&
      (each.path.includes(sought.value) || (each.from?.includes(sought.value) ?? false)),
  ),
);
const words = computed(() => {
  const { added, gone, changed, elsewhere } = comparison.value!.counts;
  return [`${changed} changed`, `${added} came`, `${gone} went`, `${elsewhere} lie elsewhere now`].join(', ');
});
const stateWords = { added: 'came', gone: 'went', changed: 'changed', elsewhere: 'lies elsewhere' } as const;
const rights = ({ mode }: ComparedFile) => mode.toString(8).padStart(4, '0');
/** What is another one, with what it was and is. */
function changeText({ state, from, changes, before, after }: FileDifference): string {
  if (state === 'elsewhere') return `was ${from!}`;
  if (!before || !after)
    return (before ?? after)!.kind === 'file' ? sizeText((before ?? after)!.bytes) : (before ?? after)!.kind;
  const texts: Record<(typeof changes)[number], () => string> = {
    kind: () => `${before.kind} → ${after.kind}`,
    content: () =>
      before.bytes === after.bytes
        ? 'content'
        : `content, ${sizeText(before.bytes)} → ${sizeText(after.bytes)}`,
    owner: () => `owner ${before.uid}:${before.gid} → ${after.uid}:${after.gid}`,
    mode: () => `rights ${rights(before)} → ${rights(after)}`,
    label: () => `label ${before.label ?? 'none'} → ${after.label ?? 'none'}`,
    link: () => `leads to ${after.linkTarget ?? 'nothing'} instead of ${before.linkTarget ?? 'nothing'}`,
    time: () => `written ${exactTime(after.modifiedAt)}`,
    unreadable: () => `cannot be read: ${after.fault ?? before.fault ?? ''}`,
  };
  return changes.map((each) => texts[each]()).join('; ');
}
const canOpen = ({ changes, before }: FileDifference) =>
  changes.includes('content') && before?.kind === 'file';
const columns = [
  { key: 'path', title: 'File', width: 'minmax(240px, 1.2fr)' },
  { key: 'state', title: 'Result', width: '110px' },
  { key: 'change', title: 'What', width: 'minmax(200px, 1fr)' },
];
const to = (file: string) => ({
  query: { partition: props.partition, ...(props.part && { part: props.part }), file },
});
</script>

<template>
  <section aria-label="Files that differ">
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template v-if="comparison">
      <div class="line">
        <p role="status">
          Files: {{ words }}.<template v-if="comparison.isCut">
            Only the first {{ comparison.differences.length.toLocaleString('en') }} are listed.</template
          >
        </p>
        <ElCheckbox v-if="comparison.onlyTime" v-model="showsOnlyTime"
          >{{ comparison.onlyTime }} rewritten unchanged</ElCheckbox
        >
        <ElInput
          v-model="sought"
          placeholder="Part of a path"
          aria-label="Files with this in their path"
          clearable
        />
      </div>
      <div v-if="comparison.differences.length" class="files" :style="{ '--rows': Math.max(rows.length, 2) }">
        <LongTable
          :columns="columns"
          :rows="rows"
          :id-of="(row: FileDifference) => row.path"
          :shown="chosen?.path"
          empty="No file like that differs."
        >
          <template #path="{ row }">
            <RouterLink v-if="canOpen(row)" :to="to(row.path)" class="path" :title="row.path">{{
              row.path
            }}</RouterLink>
            <span v-else class="path" :title="row.path">{{ row.path }}</span>
          </template>
          <template #state="{ row }">{{ stateWords[row.state] }}</template>
          <template #change="{ row }"
            ><span class="path" :title="changeText(row)">{{ changeText(row) }}</span></template
          >
        </LongTable>
      </div>
      <ComparedText
        v-if="chosen && canOpen(chosen)"
        :id="id"
        :key="chosen.path"
        :other="other"
        :partition="partition"
        :part="part"
        :path="chosen.path"
      />
    </template>
    <p v-else-if="!error" class="soft">Comparing files…</p>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 10px;
  min-width: 0;
}

.line {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: center;
}

.line .el-input {
  width: 220px;
  margin-left: auto;
}

.files {
  /* As high as its rows, and never more than a good part of the page: it scrolls by itself. */
  height: min(56vh, calc(var(--rows) * 42px + 36px));
}

.path {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
