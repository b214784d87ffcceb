<script setup lang="ts">
import { computed } from 'vue';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import EmptyState from '../../parts/EmptyState.vue';
import { runStates } from '../../parts/run-words.ts';
import TimeText from '../../parts/TimeText.vue';
import { useRuns } from '../../state/runs.ts';
import RunDetail from './RunDetail.vue';

const props = defineProps<{ id?: string }>();
const runs = useRuns();
const run = computed(() => (props.id ? runs.byId[props.id] : undefined));
</script>

<template>
  <RunDetail v-if="run" :key="run.id" :run="run" />
  <EmptyState v-else-if="id && runs.loaded" title="There is no such run"
    ><RouterLink to="/runs">Go to the runs</RouterLink></EmptyState
  >
  <template v-else>
    <h1>Runs</h1>
    <table v-if="runs.list.length">
      <thead>
        <tr>
          <th>Run</th>
          <th>State</th>
          <th class="number">Size</th>
          <th class="number">Took</th>
          <th>Started</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in runs.list" :key="each.id">
          <td>
            <RouterLink :to="{ name: 'runs', params: { id: each.id } }">{{ each.title }}</RouterLink>
            <p v-if="each.outcome" class="soft">{{ each.outcome }}</p>
          </td>
          <td>
            <span class="state" :class="each.state">{{ runStates[each.state] }}</span>
          </td>
          <td class="number">{{ sizeText(each.doneBytes) }}</td>
          <td class="number">{{ each.endedAt ? durationText(each.endedAt - each.startedAt) : '–' }}</td>
          <td><TimeText :at="each.startedAt" /></td>
        </tr>
      </tbody>
    </table>
    <EmptyState v-else-if="runs.loaded" title="Nothing has been run yet"
      >Imaging, putting back, verifying and exporting show here, with their logs.</EmptyState
    >
    <p v-else class="soft">Loading the runs…</p>
  </template>
</template>

<style scoped>
h1 {
  margin-bottom: 12px;
  font-size: 24px;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13.5px;
}

th {
  color: var(--ink-soft);
  font-size: 12.5px;
  text-align: left;
}

th,
td {
  padding: 8px 10px 8px 0;
  border-bottom: 1px solid var(--rule);
  vertical-align: top;
}

td:nth-child(n + 2) {
  white-space: nowrap;
}

td p {
  font-size: 12.5px;
}

.number {
  text-align: right;
}

.state {
  padding: 0 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.running {
  border-color: var(--action);
  color: var(--action);
  font-weight: 600;
}

.failed,
.interrupted {
  border-color: var(--beetroot);
  background: var(--beetroot-tint);
  color: var(--beetroot);
}

.cancelled {
  border-color: var(--quince);
  background: var(--quince-tint);
  color: var(--quince);
}
</style>
