<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { ref } from 'vue';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import { api } from '../../api/client.ts';
import { useImports } from '../../state/imports.ts';

/** Opens what is encrypted among files that came. */
const props = defineProps<{ found: ImportView }>();
const store = useImports();
const passphrase = ref('');
const error = ref<string>();
const isBusy = ref(false);

async function unlock(): Promise<void> {
  isBusy.value = true;
  error.value = undefined;
  try {
    await api.unlockImport(props.found.id, { passphrase: passphrase.value });
    passphrase.value = '';
    await store.load();
  } catch (failure) {
    error.value = (failure as Error).message;
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <form :aria-label="`Unlock ${found.id}`" @submit.prevent="unlock">
    <ElInput
      v-model="passphrase"
      type="password"
      size="small"
      show-password
      autocomplete="off"
      placeholder="Passphrase that it was made with"
      :aria-label="`Passphrase of ${found.locked.join(', ')}`"
    />
    <ElButton type="primary" size="small" native-type="submit" :disabled="!passphrase || isBusy">{{
      isBusy ? 'Looking into it…' : 'Look into it'
    }}</ElButton>
    <span v-if="error" class="error" role="alert">{{ error }}</span>
  </form>
</template>

<style scoped>
form {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-bottom: 10px;
}

.el-input {
  width: 280px;
}
</style>
