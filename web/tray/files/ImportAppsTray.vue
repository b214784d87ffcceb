<script setup lang="ts">
import { computed } from 'vue';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { ImportingAppsRequest } from '@keen-larder/contract/requests/imports.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../api/client.ts';
import { useBench } from '../../state/bench.ts';
import { phoneIn, useImports } from '../../state/imports.ts';
import { useLarder } from '../../state/larder.ts';
import PhoneOfFiles from './PhoneOfFiles.vue';
import RunFrame from '../RunFrame.vue';
import { useTrayRun } from '../tray-run.ts';

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

const { sheet, run } = useTrayRun({
  picks: () => draft.value,
  serial: () => undefined,
  sources: [request, () => larder.version],
  compute: (signal) => api.importAppsSheet(props.found.id, request.value, signal),
  isReady: () => !isNew.value || request.value.phone !== undefined,
  begin: (seen) =>
    api.startImportingApps(props.found.id, { ...request.value, confirmed: draft.value.confirmed, seen }),
});
const figures = computed(() =>
  sheet.value && sheet.value.bytes > 0
    ? [
        { value: sizeText(sheet.value.bytes), name: 'to take in' },
        { value: aboutText(sheet.value.expectedMs), name: 'to digest and store' },
      ]
    : [],
);
const count = computed(
  () => `${draft.value.picked.length} ${draft.value.picked.length === 1 ? 'copy' : 'copies'}`,
);
</script>

<template>
  <RunFrame
    :title="`Tray · import ${count} of apps`"
    :run="run"
    :picks="draft"
    :figures="figures"
    :go="`Keep ${count}`"
  >
    <PhoneOfFiles :model-value="draft" />
  </RunFrame>
</template>
