<script setup lang="ts">
import { sizeText } from '@keen-larder/core/bytes/units.ts';

defineProps<{ bytes: number }>();
</script>

<template>
  <span class="size" :title="`${bytes.toLocaleString('en')} bytes`">{{ sizeText(bytes) }}</span>
</template>

<style scoped>
.size {
  white-space: nowrap;
}
</style>
