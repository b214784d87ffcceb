<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { computed, onMounted, ref, useTemplateRef, watchEffect } from 'vue';
import { isFinger } from '../look/pointer.ts';
import { storageLayout, type MapPartition, type MapScale } from './storage-layout.ts';
import { drawStorageMap } from './storage-map.ts';

const props = defineProps<{
  partitions: readonly MapPartition[];
  picked: readonly string[];
  scale: MapScale;
}>();
const emit = defineEmits<{ toggle: [name: string] }>();

const box = useTemplateRef<HTMLDivElement>('box');
const svg = useTemplateRef<SVGSVGElement>('svg');
const { width } = useElementSize(box);
const focused = ref<string>();
const mounted = ref(false);
onMounted(() => (mounted.value = true));

const layout = computed(() =>
  storageLayout(
    props.partitions,
    Math.max(360, Math.floor(width.value)),
    props.scale,
    isFinger.value ? 'finger' : 'mouse',
  ),
);
const order = computed(() => layout.value.lines.flatMap(({ jars }) => jars));

watchEffect(() => {
  if (!mounted.value || !svg.value || width.value === 0) return;
  const first = order.value[0]?.partition.name;
  const known = order.value.some(({ partition }) => partition.name === focused.value);
  drawStorageMap(svg.value, {
    layout: layout.value,
    picked: new Set(props.picked),
    focused: known ? focused.value : first,
  });
});

const nameAt = (event: Event) => (event.target as Element).closest<SVGGElement>('g.jar')?.dataset.partition;

function onClick(event: MouseEvent): void {
  const name = nameAt(event);
  if (!name) return;
  focused.value = name;
  emit('toggle', name);
}

/** Arrows walk the jars, Space and Enter pick; up and down go to the nearest jar of the next shelf. */
function onKey(event: KeyboardEvent): void {
  const name = nameAt(event);
  if (!name) return;
  if (event.key === ' ' || (event.key === 'Enter' && !event.ctrlKey)) {
    event.preventDefault();
    emit('toggle', name);
    return;
  }
  const at = order.value.findIndex(({ partition }) => partition.name === name);
  const here = order.value[at];
  if (!here) return;
  const near = (below: boolean) => {
    const others = order.value.filter(({ y }) => (below ? y > here.y : y < here.y));
    const row = below ? Math.min(...others.map(({ y }) => y)) : Math.max(...others.map(({ y }) => y));
    return others
      .filter(({ y }) => y === row)
      .sort((a, b) => Math.abs(a.x - here.x) - Math.abs(b.x - here.x))[0];
  };
  const targets: Record<string, () => typeof here | undefined> = {
    ArrowRight: () => order.value[at + 1],
    ArrowLeft: () => order.value[at - 1],
    ArrowDown: () => near(true),
    ArrowUp: () => near(false),
    Home: () => order.value[0],
    End: () => order.value.at(-1),
  };
  const next = targets[event.key]?.();
  if (!next) return;
  event.preventDefault();
  focused.value = next.partition.name;
  svg.value
    ?.querySelector<SVGGElement>(`g.jar[data-partition="${CSS.escape(next.partition.name)}"]`)
    ?.focus();
}
</script>

<template>
  <div ref="box" class="map">
    <svg ref="svg" role="group" aria-label="Storage map: pick partitions" @click="onClick" @keydown="onKey" />
  </div>
</template>

<style scoped>
.map {
  min-width: 0;
}

svg {
  display: block;
  overflow: visible;
}

svg :deep(.board) {
  stroke: var(--rule-strong);
  stroke-width: 2;
}

svg :deep(.code-text) {
  fill: var(--card);
  font: 600 11px var(--mono);
  text-anchor: middle;
}

svg :deep(.name) {
  fill: var(--ink);
  font: 600 13px var(--text);
}

svg :deep(.sum) {
  fill: var(--ink-soft);
  font: 12px var(--text);
}

svg :deep(.jar) {
  cursor: pointer;
}

svg :deep(.jar:focus) {
  outline: none;
}

svg :deep(.jar:focus-visible .outline) {
  stroke: var(--ink);
  stroke-width: 2;
  stroke-dasharray: 3 2;
}

svg :deep(.glass) {
  fill: var(--card);
}

svg :deep(.paper) {
  fill: var(--card);
  opacity: 0.86;
}

svg :deep(.jar text) {
  fill: var(--ink);
  font: 11.5px var(--text);
  text-anchor: middle;
}

svg :deep(.outline) {
  fill: none;
  stroke: var(--rule-strong);
  stroke-width: 1.2;
}

svg :deep(.unkept .outline) {
  stroke-dasharray: none;
}

svg :deep(.half .outline) {
  stroke: var(--beetroot);
  stroke-width: 2;
  stroke-dasharray: 4 3;
}

svg :deep(.jar:hover .outline) {
  stroke: var(--action);
}

svg :deep(.picked .outline) {
  stroke: var(--action);
  stroke-width: 2;
}

svg :deep(.picked text) {
  font-weight: 700;
}

svg :deep(.tick circle) {
  fill: var(--action);
}

svg :deep(.tick path) {
  fill: none;
  stroke: var(--on-action);
  stroke-width: 1.8;
  stroke-linecap: round;
  stroke-linejoin: round;
}
</style>
