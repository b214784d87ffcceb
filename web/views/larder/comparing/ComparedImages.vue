<script setup lang="ts">
import { ref, shallowRef, watch } from 'vue';
import { useRoute } from 'vue-router';
import type { PartitionDetail } from '@keen-larder/contract/comparing.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';
import { api } from '../../../api/client.ts';
import ComparedApps from './ComparedApps.vue';
import ComparedFiles from './ComparedFiles.vue';

/** What differs between two images of a partition: what they say of themselves, and their files. */
const props = defineProps<{
  id: string;
  other: string;
  partition: string;
  role: Role;
}>();
const route = useRoute();
const detail = shallowRef<PartitionDetail>();
const error = ref<string>();

watch(
  () => props.partition,
  async (partition) => {
    detail.value = undefined;
    try {
      detail.value = await api.comparePartition(props.id, props.other, partition);
      error.value = undefined;
    } catch (failure) {
      error.value = (failure as Error).message;
    }
  },
  { immediate: true },
);
const partOf = (trees: readonly string[]) => {
  const asked = route.query['part'];
  return trees.find((tree) => tree === asked) ?? trees[0]!;
};
</script>

<template>
  <section :aria-label="partition">
    <h2>
      <code>{{ partition }}</code>
    </h2>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template v-if="detail">
      <table v-if="detail.facts.length" aria-label="What they say of themselves">
        <thead>
          <tr>
            <th>What it says of itself</th>
            <th>First</th>
            <th>Second</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="fact in detail.facts" :key="[...fact.within, fact.name].join('/')">
            <td>
              <span v-if="fact.within.length" class="soft">{{ fact.within.join(' › ') }} › </span
              >{{ fact.name }}
            </td>
            <td class="value">{{ fact.before ?? '–' }}</td>
            <td class="value">{{ fact.after ?? '–' }}</td>
          </tr>
        </tbody>
      </table>
      <ComparedApps v-if="role === 'user-data'" :id="id" :other="other" :partition="partition" />
      <nav v-if="detail.trees.length > 1" aria-label="File systems within">
        <RouterLink
          v-for="tree in detail.trees"
          :key="tree"
          :to="{ query: { partition, part: tree } }"
          :aria-current="tree === partOf(detail.trees)"
          >{{ tree }}</RouterLink
        >
      </nav>
      <ComparedFiles
        v-if="detail.trees.length"
        :id="id"
        :key="partOf(detail.trees)"
        :other="other"
        :partition="partition"
        :part="partOf(detail.trees)"
      />
      <p v-else class="soft">They hold no file system that can be read here.</p>
    </template>
    <p v-else-if="!error" class="soft">Looking into both…</p>
  </section>
</template>

<style scoped src="./table.css"></style>

<style scoped>
section {
  display: grid;
  gap: 10px;
  min-width: 0;
}

h2 {
  font-size: 16px;
}

nav {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
}

nav [aria-current='true'] {
  color: var(--ink);
  font-weight: 600;
  text-decoration: none;
}

table {
  width: 100%;
}

th,
td {
  padding: 4px 8px;
  border-bottom: 1px solid var(--rule);
  vertical-align: top;
}

.value {
  overflow-wrap: anywhere;
}
</style>
