<script setup lang="ts">
import { ref, shallowRef, watch } from 'vue';
import type { InsideView } from '@keen-larder/contract/inside.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { api } from '../../api/client.ts';
import { downloads } from '../../api/addresses.ts';
import InsideApps from './InsideApps.vue';
import EmptyState from '../../parts/EmptyState.vue';
import FileBrowser from './FileBrowser.vue';
import InspectionView from './InspectionView.vue';

const props = defineProps<{ id: string; partition: string }>();
const set = shallowRef<SetDetail>();
const inside = shallowRef<InsideView>();
const error = ref<string>();

watch(
  () => [props.id, props.partition] as const,
  async ([id, partition]) => {
    try {
      [set.value, inside.value] = await Promise.all([api.set(id), api.inside(id, partition)]);
      error.value = undefined;
    } catch (failure) {
      inside.value = undefined;
      error.value = (failure as Error).message;
    }
  },
  { immediate: true },
);
</script>

<template>
  <article>
    <RouterLink :to="{ name: 'set', params: { id } }" class="back">{{ set?.label ?? 'The set' }}</RouterLink>
    <h1>
      <code>{{ partition }}</code>
      <a :href="downloads.raw(id, partition)" download class="raw">Download the whole image</a>
    </h1>
    <template v-if="inside">
      <nav v-if="inside.trees.length > 1" aria-label="File systems within">
        <RouterLink v-for="tree in inside.trees" :key="tree" :to="{ query: { part: tree } }">{{
          tree
        }}</RouterLink>
      </nav>
      <FileBrowser
        v-if="inside.trees.length"
        :set-id="id"
        :partition="partition"
        :part="String($route.query['part'] ?? inside.trees[0])"
      />
      <InsideApps
        v-if="/^userdata(-files)?$/.test(partition)"
        title="Apps in it"
        :subject="`${id} ${partition}`"
        :load="() => api.appsInside(id, partition)"
        :take-out="(packages) => api.takeOut(id, partition, packages)"
      />
      <InspectionView :inspection="inside.inspection" />
    </template>
    <EmptyState v-else-if="error" title="This image cannot be looked into">{{ error }}</EmptyState>
    <p v-else class="soft">Opening the image…</p>
  </article>
</template>

<style scoped>
article {
  display: grid;
  gap: 14px;
  min-width: 0;
}

.back {
  font-size: 13px;
}

h1 {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  justify-content: space-between;
  gap: 10px;
  font-size: 22px;
}

.raw {
  font-size: 13px;
  font-weight: 400;
}

nav {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
}
</style>
