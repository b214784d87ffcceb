<script setup lang="ts">
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';

/** The phone's mode in a word, or why it has none. */
const props = defineProps<{ phone: PhoneView }>();
const text = computed(() => {
  switch (props.phone.presence) {
    case 'here':
      return props.phone.facts?.mode ?? 'here';
    case 'restarting':
      return `restarting into ${props.phone.expectedMode ?? 'system'}`;
    case 'looping':
      return 'does not start';
    default:
      return 'away';
  }
});
</script>

<template>
  <span class="mode" :class="phone.presence">{{ text }}</span>
</template>

<style scoped>
.mode {
  padding: 0 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--paper);
  font-size: 12.5px;
  line-height: 19px;
}

.looping {
  border-color: var(--beetroot);
  background: var(--beetroot-tint);
  color: var(--beetroot);
  font-weight: 600;
}

.restarting {
  border-style: dashed;
}
</style>
