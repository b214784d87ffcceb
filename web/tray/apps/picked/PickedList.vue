<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus';
import { computed, ref } from 'vue';
import type { AppView } from '@keen-larder/contract/copies.ts';
import type { WhatOfApp } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { AppsDraft } from '../../../state/apps.ts';
import { whatWords } from './use-picked-apps.ts';

/** The picked apps with which something can be done, and how many are left out; the slot tells about each, its version where nothing else is told. */
const props = defineProps<{
  apps: readonly AppView[];
  unable: number;
  /** Why they are left out. */
  why: string;
  draft: AppsDraft;
  /** Single apps may have another choice of what goes. */
  choosesWhat?: boolean;
}>();
const fewShown = 6;
const showsAll = ref(false);
const listed = computed(() => (showsAll.value ? props.apps : props.apps.slice(0, fewShown)));
function choose(name: string, what: WhatOfApp): void {
  // What is picked is a store's, handed on.
  const { draft } = props;
  draft.whatOf = { ...draft.whatOf, [name]: what };
}
</script>

<template>
  <ul class="picked">
    <li v-for="app in listed" :key="app.package">
      <strong :title="app.package">{{ app.label }}</strong>
      <slot :app="app">
        <span class="soft">{{ app.installed?.versionName ?? app.installed?.versionCode }}</span>
      </slot>
      <ElSelect
        v-if="choosesWhat && draft.whatOf"
        :model-value="draft.whatOf[app.package] ?? draft.what"
        size="small"
        class="what"
        :aria-label="`What of ${app.label}`"
        @update:model-value="(what: WhatOfApp) => choose(app.package, what)"
      >
        <ElOption v-for="(words, what) in whatWords" :key="what" :value="what" :label="words" />
      </ElSelect>
    </li>
    <li v-if="apps.length > fewShown">
      <ElButton size="small" text @click="showsAll = !showsAll">{{
        showsAll ? 'Show fewer' : `Show all ${apps.length}`
      }}</ElButton>
    </li>
  </ul>
  <p v-if="unable > 0" class="soft" role="status">
    {{ unable }} of those picked {{ unable === 1 ? 'is' : 'are' }} {{ why }}, and left out.
  </p>
</template>

<style scoped>
.picked {
  font-size: 13px;
}

.picked li {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 3px 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
}

.picked :deep(.el-select) {
  width: 190px;
}

.picked .what {
  width: 100%;
}
</style>
