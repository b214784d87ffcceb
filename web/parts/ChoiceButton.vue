<script setup lang="ts">
/** One of several choices beside each other, of which it shows whether it is taken. */
defineProps<{ taken: boolean }>();
</script>

<template>
  <button type="button" class="choice" :aria-pressed="taken"><slot /></button>
</template>

<style scoped>
.choice {
  padding: 1px 7px 2px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--paper);
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}

.choice:hover {
  border-color: var(--action);
}

.choice[aria-pressed='true'] {
  border-color: var(--action);
  background: var(--action);
  color: var(--on-action);
  font-weight: 700;
}
</style>
