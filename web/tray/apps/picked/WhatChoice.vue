<script setup lang="ts">
import { ElCheckbox, ElRadioButton, ElRadioGroup } from 'element-plus';
import type { AppsDraft } from '../../../state/apps.ts';
import { whatWords } from './use-picked-apps.ts';

/** What of the picked apps: of all of them, or of single ones. */
defineProps<{ draft: AppsDraft; hasSeveral: boolean }>();
</script>

<template>
  <!-- eslint-disable vue/no-mutating-props -- what is picked is a store's, handed on -->
  <ElRadioGroup v-model="draft.what" size="small" aria-label="What of each">
    <ElRadioButton v-for="(words, what) in whatWords" :key="what" :value="what">{{ words }}</ElRadioButton>
  </ElRadioGroup>
  <ElCheckbox
    v-if="hasSeveral"
    :model-value="draft.whatOf !== undefined"
    size="small"
    @update:model-value="(is) => (draft.whatOf = is ? {} : undefined)"
  >
    Another choice for single apps
  </ElCheckbox>
  <ElCheckbox v-if="draft.what !== 'program'" v-model="draft.withShared" size="small">
    With its files on shared storage<span class="soft"> · external data, media, OBB</span>
  </ElCheckbox>
  <!-- eslint-enable vue/no-mutating-props -->
</template>
