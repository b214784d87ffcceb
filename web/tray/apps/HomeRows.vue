<script setup lang="ts">
import { computed } from 'vue';
import type { CopiedApp } from '@keen-larder/core/apps/copies.ts';
import {
  homeRows,
  homeTitles,
  toldRows,
  type HomePlace,
  type HomeState,
} from '@keen-larder/core/apps/home/home.ts';

/** What ties an app to its phone: what of it comes back on another, what cannot, and what its copy does not tell. */
const props = defineProps<{ app: CopiedApp; place: HomePlace }>();
const rows = computed(() => toldRows(homeRows(props.app, props.place)));
/** What is not known has one line for all. */
const told = computed(() => rows.value.filter(({ state }) => state !== 'unknown'));
const unknown = computed(() => rows.value.filter(({ state }) => state === 'unknown'));
const words: Readonly<Record<HomeState, string>> = {
  'comes-back': 'comes back',
  'with-restart': 'comes back if wanted',
  cannot: 'does not come back',
  unknown: 'not known',
};
</script>

<template>
  <ul class="home">
    <li v-for="row in told" :key="row.kind">
      <span
        ><strong>{{ homeTitles[row.kind] }}</strong> <code v-if="row.was !== 'yes'">{{ row.was }}</code></span
      >
      <span :class="row.state">{{ words[row.state] }}</span>
      <span v-if="row.why" class="soft why">{{ row.why }}</span>
    </li>
    <li v-if="unknown.length" class="soft">
      <span>Not known: {{ unknown.map(({ kind }) => homeTitles[kind].toLowerCase()).join(', ') }}</span>
    </li>
    <li v-if="rows.length === 0" class="soft">Nothing beside its permissions.</li>
  </ul>
</template>

<style scoped>
.home {
  font-size: 12.5px;
}

li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
}

strong {
  font-weight: 500;
}

code {
  overflow-wrap: anywhere;
}

.why {
  grid-column: 1 / -1;
}

.comes-back {
  color: var(--action);
}

.cannot {
  color: var(--beetroot);
}
</style>
