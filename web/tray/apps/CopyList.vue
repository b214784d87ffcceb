<script setup lang="ts">
import type { CopyView } from '@keen-larder/contract/copies.ts';
import { downloads } from '../../api/addresses.ts';
import SizeText from '../../parts/SizeText.vue';
import TimeText from '../../parts/TimeText.vue';

/** Copies of one app, the newest first. */
defineProps<{ copies: readonly CopyView[] }>();
const emit = defineEmits<{ bin: [id: string] }>();
const kinds = ({ app, parts }: CopyView) =>
  [
    ...(parts.some(({ kind }) => kind === 'program') ? ['program'] : []),
    ...(parts.some(({ kind }) => kind !== 'program') ? [app.isAsGiven ? 'data as given' : 'data'] : []),
  ].join(' and ');
</script>

<template>
  <ul>
    <li v-for="copy in copies" :key="copy.id">
      <TimeText :at="copy.createdAt" />
      <span class="soft">{{ copy.app.versionName ?? copy.app.versionCode }} · {{ kinds(copy) }}</span>
      <SizeText :bytes="copy.bytes" />
      <em v-if="copy.note" class="note">{{ copy.note }}</em>
      <span class="does">
        <a :href="downloads.copy(copy.id)" download>Export</a>
        <button type="button" @click="emit('bin', copy.id)">Bin</button>
      </span>
    </li>
    <li v-if="copies.length === 0" class="soft">Never copied.</li>
  </ul>
</template>

<style scoped>
ul {
  font-size: 12.5px;
}

.note {
  grid-column: 1 / -1;
}

.does {
  display: flex;
  grid-column: 1 / -1;
  gap: 12px;
}

button {
  padding: 0;
  border: 0;
  background: none;
  color: var(--beetroot);
  font: inherit;
  text-decoration: underline;
  cursor: pointer;
}

li {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 10px;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule);
}
</style>
