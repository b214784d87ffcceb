<script setup lang="ts">
import { useRoute } from 'vue-router';

/** The views of one phone. */
defineProps<{ serial: string }>();
const route = useRoute();
const tabs = [
  { name: 'bench', title: 'Storage' },
  { name: 'apps', title: 'Apps' },
  { name: 'records', title: 'Records' },
  { name: 'move', title: 'Move' },
  { name: 'rescue', title: 'Rescue' },
  { name: 'bootloader', title: 'Bootloader' },
  { name: 'past', title: 'Past' },
  { name: 'details', title: 'Details' },
] as const;
/** Pages that are reached from a tab's own. */
const within: Readonly<Record<string, string>> = { leftovers: 'apps', shared: 'records' };
</script>

<template>
  <nav aria-label="Views of this phone">
    <RouterLink
      v-for="tab in tabs"
      :key="tab.name"
      :to="{ name: tab.name, params: { serial } }"
      :class="{ 'router-link-active': route.name !== undefined && within[String(route.name)] === tab.name }"
      >{{ tab.title }}</RouterLink
    >
  </nav>
</template>

<style scoped>
nav {
  display: flex;
  gap: clamp(1px, 0.3vw - 1px, 4px);
  margin-bottom: 10px;
  border-bottom: 1px solid var(--rule-strong);
}

a {
  margin-bottom: -1px;
  padding: 4px clamp(6px, 0.9vw - 1px, 12px) 5px;
  border: 1px solid transparent;
  border-bottom-color: var(--rule-strong);
  border-radius: 3px 3px 0 0;
  color: var(--ink);
  text-decoration: none;
}

a:hover {
  background: var(--panel);
}

a.router-link-active {
  border-color: var(--rule-strong);
  border-bottom-color: var(--paper);
  background: var(--paper);
  font-weight: 700;
}
</style>
