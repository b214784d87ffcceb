<script setup lang="ts">
import { ElInput } from 'element-plus';
import { computed } from 'vue';
import type { RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';

/** The password of a phone's own backup, where its owner set one: it is typed on the phone's screen, and opens here what comes. */
const props = defineProps<{ sheet: RunSheet | undefined }>();
const password = defineModel<string>({ required: true });
const isAsked = computed(() => props.sheet?.checks.some(({ id }) => id === 'through-backup') === true);
</script>

<template>
  <label v-if="isAsked">
    <span class="soft">Password of its backups, where the phone insists on one</span>
    <ElInput
      v-model="password"
      type="password"
      show-password
      size="small"
      maxlength="200"
      autocomplete="off"
      placeholder="None"
    />
    <span v-if="password" class="soft">Type it on the phone’s screen as well. It is kept nowhere.</span>
  </label>
</template>

<style scoped>
label {
  display: grid;
  gap: 3px;
  font-size: 12.5px;
}
</style>
