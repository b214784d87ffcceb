<script setup lang="ts">
/** The four figures of a run sheet. */
defineProps<{
  figures: readonly { readonly value: string; readonly name: string; readonly exact?: string }[];
}>();
</script>

<template>
  <dl>
    <div v-for="figure in figures" :key="figure.name" :title="figure.exact">
      <dd>{{ figure.value }}</dd>
      <dt>{{ figure.name }}</dt>
    </div>
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 1px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--rule);
}

div {
  padding: 7px 10px;
  background: color-mix(in srgb, var(--card) 55%, var(--panel));
}

dd {
  font-size: 16px;
  font-weight: 700;
}

dt {
  color: var(--ink-soft);
  font-size: 12px;
}
</style>
