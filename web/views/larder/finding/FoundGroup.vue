<script setup lang="ts" generic="T">
import type { Hits } from '@keen-larder/contract/finding.ts';

/** Hits of one kind; nothing at all where there is none. */
defineProps<{ title: string; hits: Hits<T> }>();
defineSlots<{ default(props: { hit: T }): unknown }>();
</script>

<template>
  <section v-if="hits.found.length" :aria-label="title">
    <h2>{{ title }}</h2>
    <ul>
      <li v-for="(hit, i) in hits.found" :key="i"><slot :hit="hit" /></li>
    </ul>
    <p v-if="hits.isCut" class="soft">There are more: write more of it.</p>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 4px;
  min-width: 0;
}

h2 {
  font-size: 15px;
}

li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: baseline;
  padding: 5px 2px;
  border-bottom: 1px solid var(--rule);
  min-width: 0;
}

.soft {
  font-size: 13px;
}
</style>
