<script setup lang="ts">
import { ElCheckbox } from 'element-plus';
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../api/client.ts';
import { useLarder } from '../../state/larder.ts';
import { useLeftovers } from '../../state/apps/leftovers.ts';
import RunFrame from '../RunFrame.vue';
import { useTrayRun } from '../tray-run.ts';

/** Leftovers that are picked: into the larder first where that is wanted, then off the phone. */
const props = defineProps<{ phone: PhoneView }>();
const store = useLeftovers();
const larder = useLarder();
const serial = computed(() => props.phone.serial);
const draft = computed(() => store.draft(serial.value));
const rows = computed(() =>
  (store.lists[serial.value] ?? []).filter((each) => draft.value.picked.includes(each.package)),
);
const bytes = computed(() => rows.value.reduce((sum, each) => sum + each.bytes, 0));
const request = computed(() => ({ packages: draft.value.picked, keepsFirst: draft.value.keepsFirst }));

const { run } = useTrayRun({
  picks: () => draft.value,
  serial: () => serial.value,
  sources: [request, () => props.phone.facts, () => larder.version],
  compute: (signal) =>
    props.phone.presence === 'here' && draft.value.picked.length > 0
      ? api.leftoversSheet(serial.value, request.value, signal)
      : undefined,
  async begin(seen) {
    const { confirmed } = draft.value;
    const run = await api.startRemovingLeftovers(serial.value, { ...request.value, confirmed, seen });
    Object.assign(draft.value, { picked: [], confirmed: [] });
    return run;
  },
});
const figures = computed(() => [
  { value: String(rows.value.length), name: rows.value.length === 1 ? 'app' : 'apps' },
  {
    value: sizeText(bytes.value),
    name: 'to be free again',
    exact: `${bytes.value.toLocaleString('en')} bytes`,
  },
]);
</script>

<template>
  <RunFrame
    v-if="draft.picked.length"
    :title="`Tray · leftovers of ${draft.picked.length}`"
    :run="run"
    :picks="draft"
    :figures="figures"
    :go="draft.keepsFirst ? 'Keep, then remove' : 'Remove'"
  >
    <ElCheckbox v-model="draft.keepsFirst">Keep first</ElCheckbox>
    <p class="soft">
      Looked at once more just before it goes: what was installed again meanwhile stays. What cannot be kept
      is not removed.
    </p>
  </RunFrame>
  <div v-else class="nothing">
    <h2 class="zone">Tray</h2>
    <p class="soft">Pick leftovers to keep and remove them.</p>
  </div>
</template>

<style scoped>
.nothing {
  display: grid;
  gap: 10px;
  padding: 14px;
}
</style>
