<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { ImportingAppsRequest } from '@keen-larder/contract/requests.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../api/client.ts';
import CheckList from '../parts/CheckList.vue';
import { useBench } from '../state/bench.ts';
import { phoneIn, useImports } from '../state/imports.ts';
import { useLarder } from '../state/larder.ts';
import FigureGrid from './FigureGrid.vue';
import PhoneOfFiles from './PhoneOfFiles.vue';
import TrayFrame from './TrayFrame.vue';
import { useTrayRun } from './tray-run.ts';

/** What becomes of apps that came as files: which are taken in, and of which phone they are. */
const props = defineProps<{ found: ImportView }>();
const store = useImports();
const bench = useBench();
const larder = useLarder();
const draft = computed(() => store.copiesDraft(props.found));
const isNew = computed(() => !bench.phones.some(({ serial }) => serial === draft.value.serial));
const request = computed((): ImportingAppsRequest => {
  const { picked, packages, serial } = draft.value;
  const phone = isNew.value ? phoneIn(draft.value) : undefined;
  return {
    choices: picked.map((path) => ({ path, ...(packages[path] && { package: packages[path] }) })),
    serial,
    ...(phone && { phone }),
  };
});

const { sheet, error, canStart, starting, start, confirm, mend } = useTrayRun({
  picks: () => draft.value,
  serial: () => undefined,
  sources: [request, () => larder.version],
  compute: (signal) => api.importAppsSheet(props.found.id, request.value, signal),
  isReady: () => !isNew.value || request.value.phone !== undefined,
  begin: () => api.startImportingApps(props.found.id, { ...request.value, confirmed: draft.value.confirmed }),
});
const figures = computed(() =>
  sheet.value && sheet.value.bytes > 0
    ? [
        { value: sizeText(sheet.value.bytes), name: 'to take in' },
        { value: `≈ ${durationText(sheet.value.expectedMs)}`, name: 'to digest and store' },
      ]
    : [],
);
const count = computed(
  () => `${draft.value.picked.length} ${draft.value.picked.length === 1 ? 'copy' : 'copies'}`,
);
</script>

<template>
  <TrayFrame :title="`Tray · import ${count} of apps`">
    <PhoneOfFiles :model-value="draft" />
    <FigureGrid v-if="figures.length" :figures="figures" />
    <CheckList
      v-if="sheet"
      :checks="sheet.checks"
      :confirmed="draft.confirmed"
      @mend="mend"
      @confirm="confirm"
    />
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template #foot>
      <ElButton
        type="primary"
        size="large"
        class="go"
        :disabled="!canStart"
        :loading="starting"
        @click="start"
      >
        Keep {{ count }}
      </ElButton>
    </template>
  </TrayFrame>
</template>

<style scoped>
.error {
  color: var(--beetroot);
}
</style>
