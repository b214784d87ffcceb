<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import EmptyState from '../../parts/EmptyState.vue';
import PaperLabel from '../../parts/PaperLabel.vue';
import { useLarder } from '../../state/larder.ts';
import ErasePhone from './ErasePhone.vue';
import LarderAxis from '../larder/LarderAxis.vue';

/** What was kept of a phone and done to it, also while it is away. */
const props = defineProps<{ phone: PhoneView }>();
const larder = useLarder();
const range = ref<readonly [number, number]>();
watch(
  () => props.phone.serial,
  () => (range.value = undefined),
);
const sets = computed(() => larder.sets.filter(({ serial }) => serial === props.phone.serial));
const shown = computed(() =>
  sets.value.filter(
    ({ createdAt }) => !range.value || (createdAt >= range.value[0] && createdAt <= range.value[1]),
  ),
);
</script>

<template>
  <section aria-label="Past">
    <template v-if="sets.length">
      <LarderAxis v-model:range="range" :sets="sets" :serial="phone.serial" />
      <p v-if="shown.length < sets.length" class="hidden">
        {{ shown.length }} of {{ sets.length }} sets are of that time ·
        <a href="#" @click.prevent="range = undefined">show all</a>
      </p>
      <ul>
        <li v-for="set in shown" :key="set.id"><PaperLabel :set="set" /></li>
      </ul>
    </template>
    <EmptyState v-else-if="larder.loaded" title="Nothing of this phone is kept yet">
      <template v-if="phone.presence === 'here'"
        >Pick its partitions under
        <RouterLink :to="{ name: 'bench', params: { serial: phone.serial } }">Storage</RouterLink>, and start
        imaging.</template
      >
      <template v-else>Connect it, and image it before anything is done to it.</template>
    </EmptyState>
    <p v-else class="soft">Opening the larder…</p>
    <ErasePhone v-if="larder.loaded" :key="phone.serial" :phone="phone" />
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 12px;
  min-width: 0;
}

.hidden {
  color: var(--quince);
  font-weight: 600;
}

ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(214px, 1fr));
  gap: 12px;
}

li {
  display: grid;
}
</style>
