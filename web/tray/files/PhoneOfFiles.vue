<script setup lang="ts">
import { ElInput, ElOption, ElSelect } from 'element-plus';
import { computed } from 'vue';
import { useBench } from '../../state/bench.ts';
import type { OfPhone } from '../../state/imports.ts';

/** Of which phone files are: one that was seen, or one that is told of. */
const draft = defineModel<OfPhone>({ required: true });
const bench = useBench();
const isNew = computed(
  () => draft.value.serial !== '' && !bench.phones.some(({ serial }) => serial === draft.value.serial),
);
</script>

<template>
  <label class="field">
    <span class="soft">Phone</span>
    <ElSelect
      v-model="draft.serial"
      filterable
      allow-create
      default-first-option
      placeholder="Choose, or type a serial"
      aria-label="Phone of these files"
    >
      <ElOption
        v-for="each in bench.phones"
        :key="each.serial"
        :value="each.serial"
        :label="`${each.nickname} · ${each.serial}`"
      />
    </ElSelect>
  </label>
  <template v-if="isNew">
    <p class="soft new">The larder does not know this phone yet.</p>
    <ElInput v-model="draft.maker" placeholder="Maker" aria-label="Maker" maxlength="60" />
    <ElInput v-model="draft.model" placeholder="Model" aria-label="Model" maxlength="60" />
    <ElInput
      v-model="draft.nickname"
      placeholder="What you call it (optional)"
      aria-label="What you call it"
      maxlength="60"
    />
  </template>
</template>

<style scoped>
.field {
  display: grid;
  gap: 3px;
  font-size: 12.5px;
}

.new {
  font-size: 12.5px;
}
</style>
