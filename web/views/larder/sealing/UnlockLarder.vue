<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { ref } from 'vue';
import { api } from '../../../api/client.ts';
import { useLarder } from '../../../state/larder.ts';

/** Opens the seal of the larder. */
const larder = useLarder();
const passphrase = ref('');
const error = ref<string>();
const busy = ref(false);

async function unlock(): Promise<void> {
  busy.value = true;
  error.value = undefined;
  try {
    await api.unlockLarder({ passphrase: passphrase.value });
    passphrase.value = '';
    await larder.load();
  } catch (failure) {
    error.value = (failure as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form aria-label="Unlock the larder" @submit.prevent="unlock">
    <ElInput
      v-model="passphrase"
      type="password"
      size="small"
      show-password
      autocomplete="off"
      placeholder="Passphrase or recovery key"
      aria-label="Passphrase or recovery key of the larder"
    />
    <ElButton type="primary" size="small" native-type="submit" :disabled="!passphrase || busy">{{
      busy ? 'Unlocking…' : 'Unlock'
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
}

.el-input {
  width: 280px;
}
</style>
