<script setup lang="ts">
import { ref, watch } from 'vue';
import type { AppFacts } from '@keen-larder/core/apps/facts.ts';
import { pictures } from '../../../api/addresses.ts';

/** An app's picture, or the first letter of its name where it has none that can be shown. */
const props = defineProps<{
  serial: string;
  app: Pick<AppFacts, 'paths' | 'hasIcon' | 'label'>;
  size?: number;
}>();
const isMissing = ref(false);
watch(
  () => props.app.paths[0],
  () => (isMissing.value = false),
);
</script>

<template>
  <span class="icon" :style="{ '--icon-size': `${size ?? 24}px` }" aria-hidden="true">
    <img
      v-if="app.hasIcon && !isMissing"
      :key="app.paths[0]"
      :src="pictures.app(serial, app.paths[0]!)"
      alt=""
      loading="lazy"
      @error="isMissing = true"
    />
    <template v-else>{{ app.label.slice(0, 1).toUpperCase() }}</template>
  </span>
</template>

<style scoped>
.icon {
  display: inline-grid;
  flex: none;
  place-items: center;
  width: var(--icon-size);
  height: var(--icon-size);
  overflow: hidden;
  border: 1px solid var(--rule);
  border-radius: 5px;
  background: var(--panel);
  font-weight: 700;
}

img {
  width: 100%;
  height: 100%;
}
</style>
