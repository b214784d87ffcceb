<script setup lang="ts">
defineProps<{ title: string }>();
</script>

<template>
  <section class="empty">
    <svg viewBox="0 0 48 56" aria-hidden="true">
      <rect x="11" y="3" width="26" height="8" rx="2" />
      <path d="M9 18a7 7 0 0 1 7-7h16a7 7 0 0 1 7 7v29a6 6 0 0 1-6 6H15a6 6 0 0 1-6-6z" />
      <path d="M14 27h20v14H14z" />
    </svg>
    <h2>{{ title }}</h2>
    <p class="soft"><slot /></p>
  </section>
</template>

<style scoped>
.empty {
  display: grid;
  justify-items: center;
  gap: 8px;
  max-width: 46ch;
  margin: 12vh auto 0;
  text-align: center;
}

svg {
  width: 56px;
  fill: none;
  stroke: var(--rule-strong);
  stroke-width: 2;
}

h2 {
  font-size: 18px;
}
</style>
