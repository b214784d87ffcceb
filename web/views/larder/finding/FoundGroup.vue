<script setup lang="ts" generic="T">
import type { Hits } from '@keen-larder/contract/larder/finding.ts';

/** Hits of one kind; nothing at all where there is none. */
defineProps<{ title: string; hits: Hits<T> }>();
defineSlots<{
  /** What it is, with a link to it. */
  name(props: { hit: T }): unknown;
  /** Where it is, and of what. */
  about(props: { hit: T }): unknown;
  digest?(props: { hit: T }): unknown;
}>();
</script>

<template>
  <section v-if="hits.found.length" :aria-label="title">
    <h2>{{ title }}</h2>
    <ul>
      <li v-for="(hit, i) in hits.found" :key="i">
        <span class="name"><slot name="name" :hit="hit" /></span>
        <span class="soft digest"><slot name="digest" :hit="hit" /></span>
        <span class="soft about"><slot name="about" :hit="hit" /></span>
      </li>
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
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 12px;
  align-items: baseline;
  padding: 5px 2px;
  border-bottom: 1px solid var(--rule);
  min-width: 0;
}

.name {
  overflow-wrap: anywhere;
}

.about {
  grid-column: 1 / 3;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.soft {
  font-size: 13px;
}
</style>
