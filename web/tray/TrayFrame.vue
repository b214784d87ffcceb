<script setup lang="ts">
/** Heading, contents that scroll, and a foot that stays. */
defineProps<{ title: string }>();
</script>

<template>
  <section class="frame" :aria-label="title">
    <div class="body">
      <h2 class="zone">{{ title }}</h2>
      <slot />
    </div>
    <footer v-if="$slots['foot']"><slot name="foot" /></footer>
  </section>
</template>

<style scoped>
.frame {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-height: 0;
}

.body {
  display: flex;
  flex: 1;
  flex-direction: column;
  gap: 10px;
  min-height: 0;
  overflow-y: auto;
  padding: 14px;
}

footer {
  padding: 10px 14px 12px;
  border-top: 1px solid var(--rule);
}
</style>

<style>
/* What the trays have in common. */
.frame .paper {
  flex: none;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  overflow: hidden;
}

.frame .go {
  width: 100%;
  height: 42px;
  font-size: 15px;
}

.frame .hint {
  margin-top: 6px;
  font-size: 12px;
  text-align: center;
}
</style>
