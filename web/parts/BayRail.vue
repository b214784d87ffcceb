<script setup lang="ts">
import { ChevronRight } from 'lucide-vue-next';
import { useBench } from '../state/bench.ts';
import BayCard from './BayCard.vue';

const bench = useBench();
</script>

<template>
  <aside class="rail" aria-label="On the bench">
    <h2 class="zone">On the bench · {{ bench.present.length }}</h2>
    <ul>
      <li v-for="phone in bench.present" :key="phone.serial"><BayCard :phone="phone" /></li>
    </ul>
    <p v-if="bench.loaded && bench.present.length === 0" class="soft">
      No phone answers. Connect one, or look at its mode.
    </p>
    <details v-if="bench.away.length" :open="bench.present.length === 0">
      <summary><ChevronRight :size="15" aria-hidden="true" /> Away · {{ bench.away.length }}</summary>
      <ul>
        <li v-for="phone in bench.away" :key="phone.serial"><BayCard :phone="phone" /></li>
      </ul>
    </details>
  </aside>
</template>

<style scoped>
.zone {
  margin-bottom: 10px;
}

.rail {
  overflow-y: auto;
  padding: 14px 12px;
  border-right: 1px solid var(--rule);
}

ul {
  display: grid;
  gap: 10px;
}

details {
  margin-top: 14px;
}

summary {
  display: flex;
  align-items: center;
  gap: 4px;
  margin-bottom: 8px;
  color: var(--ink-soft);
  cursor: pointer;
  list-style: none;
}

details[open] summary svg {
  transform: rotate(90deg);
}
</style>
