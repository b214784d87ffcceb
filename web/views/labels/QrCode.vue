<script setup lang="ts">
import { create } from 'qrcode';
import { computed } from 'vue';

/** A QR code (ISO/IEC 18004) of some text, one unit a module, with the quiet zone around it. */
const props = defineProps<{ text: string; name: string }>();
const quiet = 4;
const code = computed(() => create(props.text, { errorCorrectionLevel: 'M' }).modules);
const path = computed(() => {
  const { size, data } = code.value;
  let found = '';
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) if (data[y * size + x]) found += `M${x + quiet} ${y + quiet}h1v1h-1z`;
  return found;
});
</script>

<template>
  <svg
    :viewBox="`0 0 ${code.size + 2 * quiet} ${code.size + 2 * quiet}`"
    role="img"
    :aria-label="name"
    shape-rendering="crispEdges"
  >
    <path :d="path" />
  </svg>
</template>

<style scoped>
svg {
  background: #fff;
  fill: #000;
}
</style>
