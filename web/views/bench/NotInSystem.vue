<script setup lang="ts">
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import EmptyState from '../../parts/EmptyState.vue';
import { useRuns } from '../../state/runs.ts';
import ModeKeys from './ModeKeys.vue';

/** Instead of what only a running system tells: how to get it there, unless a run is about to. */
const props = defineProps<{
  phone: PhoneView;
  /** What the system would tell: Apps, Records. */
  what: string;
  /** The page is that of another phone. */
  elsewhere?: boolean;
}>();
const runs = useRuns();
const run = computed(() => runs.ofPhone(props.phone.serial));
</script>

<template>
  <EmptyState v-if="run" :title="`A run is at work on ${phone.nickname}`">
    {{ run.title }}. It restarts the phone by itself; {{ what.toLowerCase() }} show here when the phone is in
    system mode again.
  </EmptyState>
  <EmptyState v-else :title="`${what} are read from the running system`">
    {{ phone.nickname }} is not in system mode now. Restart it into system,
    {{ elsewhere ? 'on its own page' : 'above' }}; {{ what.toLowerCase() }} show here by themselves.
    <ModeKeys :keys="phone.keys" />
  </EmptyState>
</template>
