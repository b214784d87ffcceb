<script setup lang="ts">
import { ElInput } from 'element-plus';
import { leastPassphrase } from '@keen-larder/core/larder/passphrase.ts';

/** A passphrase that is chosen, written twice. */
withDefaults(defineProps<{ name?: string; hint?: string }>(), { name: 'Passphrase', hint: '' });
const passphrase = defineModel<string>({ required: true });
const again = defineModel<string>('again', { required: true });
</script>

<template>
  <div class="twice">
    <label>
      <span>{{ name }}</span>
      <ElInput
        v-model="passphrase"
        type="password"
        show-password
        autocomplete="new-password"
        :placeholder="`at least ${leastPassphrase} letters${hint}`"
        :aria-label="name"
      />
    </label>
    <label>
      <span>Once more</span>
      <ElInput
        v-model="again"
        type="password"
        autocomplete="new-password"
        :aria-label="`${name} once more`"
      />
    </label>
  </div>
</template>

<style scoped>
.twice {
  display: grid;
  gap: 8px;
}

label {
  display: grid;
  grid-template-columns: 142px 380px;
  gap: 10px;
  align-items: center;
  font-size: 14px;
}
</style>
