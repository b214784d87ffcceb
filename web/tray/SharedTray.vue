<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { armingText, mustArm } from '@keen-larder/core/runsheet/arming.ts';
import { api } from '../api/client.ts';
import { useLarder } from '../state/larder.ts';
import { useShared } from '../state/shared.ts';
import RunFrame from './RunFrame.vue';
import { useTrayRun } from './tray-run.ts';

/** Folders of kept shared storage go onto a phone. */
const props = defineProps<{ phone: PhoneView }>();
const store = useShared();
const larder = useLarder();
const serial = computed(() => props.phone.serial);
const draft = computed(() => store.draft(serial.value));
const set = computed(() => store.chosen(serial.value));
const request = computed(() => ({
  setId: set.value?.setId ?? '',
  folders: draft.value.picked,
  onTop: draft.value.onTop,
}));
const { sheet, run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources: [request, () => props.phone.facts, () => larder.version],
  compute: (signal) =>
    props.phone.presence === 'here' && set.value && draft.value.picked.length > 0
      ? api.puttingSharedSheet(serial.value, request.value, signal)
      : undefined,
  isReady: () => !armed.value || draft.value.armedWith === armingText(serial.value),
  async begin(seen) {
    const { confirmed, armedWith } = draft.value;
    const run = await api.startPuttingShared(serial.value, { ...request.value, confirmed, seen, armedWith });
    Object.assign(draft.value, { picked: [], confirmed: [], armedWith: '' });
    return run;
  },
});
const armed = computed(() => sheet.value !== undefined && mustArm(sheet.value));
const figures = computed(() =>
  sheet.value
    ? [
        {
          value: sizeText(sheet.value.bytes),
          name: 'to write, at most',
          exact: `${sheet.value.bytes.toLocaleString('en')} bytes`,
        },
        { value: aboutText(sheet.value.expectedMs), name: 'unattended' },
      ]
    : [],
);
</script>

<template>
  <RunFrame
    v-if="draft.picked.length"
    :title="`Tray · ${draft.picked.length} ${draft.picked.length === 1 ? 'folder' : 'folders'} picked`"
    :run="run"
    :picks="draft"
    :figures="figures"
    :arms="armed ? serial : undefined"
    go="Put in place"
    hint="Ctrl Enter · what is there with the same bytes is not sent again"
    @arm="(typed) => (draft.armedWith = typed)"
  >
    <span class="soft">Files that the phone has with other bytes</span>
    <ElRadioGroup v-model="draft.onTop" size="small" aria-label="Files that the phone has with other bytes">
      <ElRadioButton value="leave">Leave them</ElRadioButton>
      <ElRadioButton value="replace">Replace them</ElRadioButton>
    </ElRadioGroup>
  </RunFrame>
  <div v-else class="nothing">
    <h2 class="zone">Tray</h2>
    <p class="soft">Pick folders to put onto this phone.</p>
  </div>
</template>

<style scoped>
.nothing {
  display: grid;
  gap: 10px;
  padding: 14px;
}
</style>
