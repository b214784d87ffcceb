<script setup lang="ts">
import { CheckIcon, CircleDashed, LoaderCircle, OctagonX } from 'lucide-vue-next';
import { computed } from 'vue';
import { isLive, type RunView } from '@keen-larder/contract/runs.ts';

/** What came of each thing of a batch: done, not done and why, not come to. */
const props = defineProps<{ run: RunView }>();
const icons = { waiting: CircleDashed, running: LoaderCircle, done: CheckIcon, failed: OctagonX } as const;
const words = computed(() => ({
  waiting: isLive(props.run) ? 'to come' : 'not come to',
  running: 'under way',
  done: 'done',
  failed: 'not done',
}));
</script>

<template>
  <table class="facts">
    <thead>
      <tr>
        <th>Step</th>
        <th>State</th>
        <th>What came of it</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(step, i) in run.steps" :key="i" :class="step.state">
        <td>{{ step.text }}</td>
        <td class="state">
          <component :is="icons[step.state]" :size="14" aria-hidden="true" /> {{ words[step.state] }}
        </td>
        <td>{{ step.result ?? '' }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
td {
  overflow-wrap: anywhere;
}

.state {
  white-space: nowrap;
}

svg {
  vertical-align: -2px;
}

.done svg {
  color: var(--action);
}

.failed td {
  color: var(--beetroot);
}
</style>
