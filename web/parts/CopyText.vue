<script setup lang="ts">
import { useClipboard } from '@vueuse/core';
import { Check, Copy } from 'lucide-vue-next';
import { shortDigest } from './digest.ts';

/** A value in mono with a button that copies it; long ones may be shown short. */
defineProps<{ value: string; name: string; short?: boolean }>();
const { copy, copied } = useClipboard({ legacy: true });
</script>

<template>
  <span class="copy">
    <code :title="value" :class="{ short }">{{ short ? shortDigest(value) : value }}</code>
    <button
      type="button"
      :aria-label="copied ? `${name} copied` : `Copy ${name}`"
      :title="`Copy ${name}`"
      @click.stop="copy(value)"
    >
      <component :is="copied ? Check : Copy" :size="13" aria-hidden="true" />
    </button>
  </span>
</template>

<style scoped>
.copy {
  display: inline-flex;
  align-items: center;
  gap: 3px;
  min-width: 0;
}

code {
  overflow-wrap: anywhere;
}

.short {
  white-space: nowrap;
}

button {
  flex: none;
  display: inline-flex;
  align-items: center;
  justify-content: center;
  padding: 4px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}

button:hover {
  color: var(--action);
}
</style>
