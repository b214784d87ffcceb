<script setup lang="ts">
import { ElInput, ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed } from 'vue';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { ImportingRequest } from '@keen-larder/contract/requests/imports.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { maxLabelLength } from '@keen-larder/core/larder/label.ts';
import { roleOf } from '@keen-larder/core/phone/roles.ts';
import { api } from '../../api/client.ts';
import RoleStrip from '../../parts/roles/RoleStrip.vue';
import { useBench } from '../../state/bench.ts';
import { phoneIn, useImports } from '../../state/imports.ts';
import { useLarder } from '../../state/larder.ts';
import ModelOfFiles from './ModelOfFiles.vue';
import PhoneOfFiles from './PhoneOfFiles.vue';
import RunFrame from '../RunFrame.vue';
import { useTrayRun } from '../tray-run.ts';

/** What becomes of files that came: of which phone they are, what the set is called, and what to know before. */
const props = defineProps<{ found: ImportView }>();
const store = useImports();
const bench = useBench();
const larder = useLarder();
const draft = computed(() => store.draft(props.found));

const chosen = computed(() =>
  props.found.images.flatMap((image) => {
    const { paths, bytes, imageBytes } = image;
    const [path] = paths as [string];
    const name = store.partitionOf(props.found, image);
    return name && draft.value.picked.includes(path)
      ? [{ path, partition: name, role: roleOf(name), bytes: imageBytes ?? bytes }]
      : [];
  }),
);
const isNew = computed(
  () => draft.value.serial !== '' && !bench.phones.some(({ serial }) => serial === draft.value.serial),
);
const request = computed((): ImportingRequest => {
  const { label, serial, isFirmware, maker, model } = draft.value;
  const firmwareOf = isFirmware && maker && model ? { maker, model } : undefined;
  const phone = !isFirmware && isNew.value ? phoneIn(draft.value) : undefined;
  return {
    choices: chosen.value.map(({ path, partition }) => ({ path, partition })),
    label: label.trim(),
    serial: isFirmware ? '' : serial,
    ...(phone && { phone }),
    ...(firmwareOf && { firmwareOf }),
  };
});

const { sheet, run } = useTrayRun({
  picks: () => draft.value,
  serial: () => undefined,
  sources: [request, () => larder.version],
  compute: (signal) => api.importSheet(props.found.id, request.value, signal),
  isReady: () => draft.value.isFirmware || !isNew.value || request.value.phone !== undefined,
  begin: (seen) =>
    api.startImporting(props.found.id, { ...request.value, confirmed: draft.value.confirmed, seen }),
  rename: (label) => (draft.value.label = label),
});

const figures = computed(() => {
  if (!sheet.value || chosen.value.length === 0) return [];
  const { bytes, expectedMs } = sheet.value;
  return [
    { value: sizeText(bytes), name: 'to take in', exact: `${bytes.toLocaleString('en')} bytes` },
    { value: aboutText(expectedMs), name: 'to unpack, digest and store' },
  ];
});
</script>

<template>
  <RunFrame
    :title="`Tray · import ${chosen.length} ${chosen.length === 1 ? 'image' : 'images'}`"
    :run="run"
    :picks="draft"
    :figures="figures"
    :go="draft.isFirmware ? 'Keep as firmware' : 'Keep as a set'"
    :hint="
      found.isCopy
        ? 'The copy made for it is removed afterwards'
        : 'The files are moved beside the folder afterwards'
    "
  >
    <div class="paper">
      <RoleStrip :strip="chosen" />
      <label class="inside">
        <span class="soft">Name of the set</span>
        <ElInput
          v-model="draft.label"
          type="textarea"
          :rows="2"
          resize="none"
          :maxlength="maxLabelLength"
          spellcheck="false"
        />
      </label>
    </div>
    <ElRadioGroup v-model="draft.isFirmware" size="small" aria-label="Whose files they are">
      <ElRadioButton :value="false">Of one phone</ElRadioButton>
      <ElRadioButton :value="true">Firmware of a model</ElRadioButton>
    </ElRadioGroup>
    <ModelOfFiles v-if="draft.isFirmware" :model-value="draft" />
    <PhoneOfFiles v-else :model-value="draft" />
  </RunFrame>
</template>

<style scoped>
.inside {
  display: grid;
  gap: 3px;
  font-size: 12.5px;
}

.inside {
  padding: 8px 10px 9px;
}
</style>
