<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { useTemplateRef, watchEffect } from 'vue';
import { drawThroughput } from './throughput.ts';

const props = defineProps<{ speeds: readonly number[]; elapsedMs: number }>();
const box = useTemplateRef<HTMLDivElement>('box');
const svg = useTemplateRef<SVGSVGElement>('svg');
const { width } = useElementSize(box);
watchEffect(() => {
  if (svg.value && width.value > 0)
    drawThroughput(svg.value, props.speeds, props.elapsedMs, { width: width.value, height: 132 });
});
</script>

<template>
  <div ref="box" class="chart">
    <svg ref="svg" role="img" aria-label="Speed over the time of the run" />
  </div>
</template>

<style scoped>
svg {
  display: block;
}

svg :deep(.axis text),
svg :deep(.time text) {
  fill: var(--ink-soft);
  font: 11px var(--text);
}

svg :deep(.axis line) {
  stroke: var(--rule);
}

svg :deep(.under) {
  fill: var(--action);
  opacity: 0.15;
}

svg :deep(.over) {
  fill: none;
  stroke: var(--action);
  stroke-width: 1.6;
}
</style>
