<script setup lang="ts">
import { computed, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { RepairView } from '@keen-larder/contract/rescue.ts';
import RoleStrip from '../../parts/roles/RoleStrip.vue';
import { usePicks } from '../../state/picks.ts';
import PutBack from './PutBack.vue';

/** A repair that was chosen in Rescue. */
const props = defineProps<{ phone: PhoneView; repair: RepairView }>();
const store = usePicks();
const picks = computed(() => store.forRepair(props.phone.serial, props.repair.id));
const all = computed(() => props.repair.puts.map(({ partition }) => partition));

// A repair is picked whole until somebody leaves something out; it is another one when its images are.
watch(
  () => all.value.join(),
  () => store.set(picks.value, all.value),
  { immediate: true },
);

/** What was added to it comes from the same set. */
const puts = computed(() => {
  const setId = props.repair.puts[0]?.setId;
  return setId === undefined ? [] : picks.value.picked.map((partition) => ({ setId, partition }));
});
const strip = computed(() =>
  props.repair.images.filter(({ partition }) => picks.value.picked.includes(partition)),
);
</script>

<template>
  <PutBack :picks="picks" :phone="phone" :puts="puts" :activate="repair.activate">
    <div class="paper">
      <RoleStrip :strip="strip" />
      <div class="inside">
        <strong>{{ repair.title }}</strong>
        <p class="soft">{{ repair.sentence }}</p>
        <p v-if="repair.label" class="soft">From “{{ repair.label }}”</p>
      </div>
    </div>
  </PutBack>
</template>

<style scoped>
.inside {
  display: grid;
  gap: 2px;
  padding: 8px 12px 10px;
}

.inside strong {
  font-size: 15px;
}
</style>
