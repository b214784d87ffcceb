<script setup lang="ts">
import { computed } from 'vue';

/** Where two images differ, from first byte to last; the darker, the more of that part does. */
const props = defineProps<{ strip: readonly number[]; name: string }>();
/** The least difference is to be seen. */
const parts = computed(() =>
  props.strip.flatMap((share, i) => (share > 0 ? [{ i, opacity: 0.35 + 0.65 * share }] : [])),
);
</script>

<template>
  <svg
    :viewBox="`0 0 ${strip.length} 10`"
    preserveAspectRatio="none"
    role="img"
    :aria-label="`Where ${name} differs`"
  >
    <rect
      v-for="part in parts"
      :key="part.i"
      :x="part.i"
      y="0"
      width="1.2"
      height="10"
      :fill-opacity="part.opacity"
    />
  </svg>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  height: 10px;
  border: 1px solid var(--rule-strong);
  background: var(--card);
}

rect {
  fill: var(--slate);
}
</style>
