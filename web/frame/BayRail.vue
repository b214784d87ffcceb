<script setup lang="ts">
import { Cable, ChevronRight } from 'lucide-vue-next';
import { connectionWords } from '@keen-larder/core/phone/connections.ts';
import { useBench } from '../state/bench.ts';
import { useConnections } from '../state/connections.ts';
import BayCard from './BayCard.vue';

const bench = useBench();
const connections = useConnections();
</script>

<template>
  <aside class="rail" aria-label="On the bench">
    <h2 class="zone">
      <RouterLink :to="{ name: 'bench', params: { serial: '' } }"
        >On the bench · {{ bench.present.length }}</RouterLink
      >
    </h2>
    <ul>
      <li v-for="phone in bench.present" :key="phone.serial"><BayCard :phone="phone" /></li>
    </ul>
    <ul v-if="connections.waiting.length" class="waiting" aria-label="Waiting for hands">
      <li v-for="each in connections.waiting" :key="each.address">
        <RouterLink to="/connections" :data-waiting="each.state">
          <strong>{{
            (each.serial && bench.phone(each.serial)?.nickname) || `Phone at ${each.address}`
          }}</strong>
          {{ connectionWords(each.state, '').title }}: what to do
        </RouterLink>
      </li>
    </ul>
    <p v-if="bench.loaded && bench.present.length === 0 && connections.waiting.length === 0" class="soft">
      No phone answers. Connect one, or look at its mode.
    </p>
    <details v-if="bench.away.length" :open="bench.present.length === 0">
      <summary><ChevronRight :size="15" aria-hidden="true" /> Away · {{ bench.away.length }}</summary>
      <ul>
        <li v-for="phone in bench.away" :key="phone.serial"><BayCard :phone="phone" /></li>
      </ul>
    </details>
    <RouterLink to="/connections" class="ways"
      ><Cable :size="14" aria-hidden="true" /> Connections</RouterLink
    >
  </aside>
</template>

<style scoped>
.zone {
  margin-bottom: 10px;
}

.zone a {
  color: inherit;
  text-decoration: none;
}

.zone a:hover {
  text-decoration: underline;
}

.rail {
  overflow-y: auto;
  padding: 14px 12px;
  border-right: 1px solid var(--rule);
}

ul {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
}

.waiting {
  margin-top: 10px;
}

.waiting a {
  display: block;
  padding: 8px 10px;
  border: 1px solid var(--quince);
  border-radius: 3px;
  background: var(--quince-tint);
  color: inherit;
  font-size: 13px;
  text-decoration: none;
}

.waiting strong {
  display: block;
  overflow-wrap: anywhere;
}

.ways {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  margin-top: 16px;
  color: var(--ink-soft);
  font-size: 13px;
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
