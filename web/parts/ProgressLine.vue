<script setup lang="ts">
import { computed } from 'vue';

const props = defineProps<{ done: number; whole: number; name: string }>();
const percent = computed(() => (props.whole > 0 ? Math.min(100, (props.done / props.whole) * 100) : 0));
</script>

<template>
  <div
    class="line"
    role="progressbar"
    aria-valuemin="0"
    aria-valuemax="100"
    :aria-valuenow="Math.round(percent)"
    :aria-label="name"
  >
    <div :style="{ width: `${percent}%` }" />
  </div>
</template>

<style scoped>
.line {
  height: 6px;
  background: color-mix(in srgb, var(--rule-strong) 45%, transparent);
}

.line div {
  height: 100%;
  background: var(--action);
  transition: width 0.25s linear;
}
</style>
