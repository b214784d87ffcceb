<script setup lang="ts">
/** What the lids of the storage map mean, drawn as they are drawn there. */
const lids = [
  { name: 'unchanged', path: 'M2 1H18V6H2Z', fill: 'var(--ink-soft)' },
  { name: 'kept, not compared', path: 'M2 1H18V6H2Z', fill: 'var(--paper)' },
  { name: 'changed since', path: 'M2 3L18 -1V3L2 7Z', fill: 'var(--ink-soft)' },
  { name: 'never kept', path: '', fill: 'none' },
] as const;
</script>

<template>
  <ul aria-label="Lids on the map">
    <li v-for="lid in lids" :key="lid.name">
      <svg width="20" height="20" viewBox="0 -2 20 20" aria-hidden="true">
        <path :d="lid.path" :fill="lid.fill" stroke="var(--ink-soft)" />
        <rect x="1" y="7" width="18" height="10" rx="2" fill="var(--card)" stroke="var(--rule-strong)" />
      </svg>
      {{ lid.name }}
    </li>
  </ul>
</template>

<style scoped>
ul {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
}

li {
  display: inline-flex;
  align-items: center;
  gap: 4px;
}
</style>
