<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue';
import type { TextComparison } from '@keen-larder/contract/comparing.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';

/** Two versions of a file: properties by name, text by line. */
const props = defineProps<{ id: string; other: string; partition: string; part: string; path: string }>();
const comparison = shallowRef<TextComparison>();
const error = ref<string>();
api
  .compareText(props.id, props.other, props.partition, {
    path: props.path,
    ...(props.part && { part: props.part }),
  })
  .then(
    (found) => (comparison.value = found),
    (failure: unknown) => (error.value = (failure as Error).message),
  );

const kinds = { '+': 'is', '-': 'was', ' ': 'around', '\\': 'around' } as const;
const lines = computed(() =>
  (comparison.value?.hunks ?? []).map(({ beforeLine, afterLine, lines }) => ({
    title: `Line ${beforeLine}${afterLine === beforeLine ? '' : `, now ${afterLine}`}`,
    lines: lines.map((text) => ({ text, kind: kinds[text[0] as keyof typeof kinds] })),
  })),
);
</script>

<template>
  <aside :aria-label="path">
    <h3>{{ path }}</h3>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template v-if="comparison">
      <p class="soft">{{ sizeText(comparison.beforeBytes) }} → {{ sizeText(comparison.afterBytes) }}</p>
      <table v-if="comparison.properties?.length" aria-label="Properties that differ">
        <thead>
          <tr>
            <th>Property</th>
            <th>First</th>
            <th>Second</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="property in comparison.properties" :key="property.name">
            <td>
              <code>{{ property.name }}</code>
            </td>
            <td>{{ property.before ?? 'not there' }}</td>
            <td>{{ property.after ?? 'not there' }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="!comparison.hunks" class="soft">It is not text, or too long to compare line by line.</p>
      <figure v-for="hunk in lines" :key="hunk.title">
        <figcaption>{{ hunk.title }}</figcaption>
        <pre tabindex="0"><span v-for="(line, i) in hunk.lines" :key="i" :class="line.kind">{{ line.text }}
</span></pre>
      </figure>
    </template>
    <p v-else-if="!error" class="soft">Reading both…</p>
  </aside>
</template>

<style scoped src="./table.css"></style>

<style scoped>
aside {
  display: grid;
  gap: 8px;
  padding: 10px 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  min-width: 0;
}

h3 {
  font-size: 14px;
  overflow-wrap: anywhere;
}

th,
td {
  padding: 3px 10px 3px 0;
  border-bottom: 1px solid var(--rule);
  overflow-wrap: anywhere;
}

figure {
  margin: 0;
  min-width: 0;
}

figcaption {
  color: var(--ink-soft);
  font-size: 12px;
}

pre {
  margin: 0;
  overflow-x: auto;
  font: 12.5px/1.5 var(--mono);
}

.was {
  background: var(--beetroot-tint);
}

.is {
  background: var(--action-tint);
}
</style>
