<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { ref } from 'vue';

/** Asks for a passphrase that opens something, and says where it does not. */
const props = defineProps<{
  /** What it does, for those who hear the page. */
  label: string;
  /** What the passphrase is of, likewise. */
  of: string;
  placeholder: string;
  go: string;
  going: string;
  /** @throws Error whose message is shown */
  open: (passphrase: string) => Promise<void>;
}>();
const passphrase = ref('');
const error = ref<string>();
const isBusy = ref(false);

async function unlock(): Promise<void> {
  isBusy.value = true;
  error.value = undefined;
  try {
    await props.open(passphrase.value);
    passphrase.value = '';
  } catch (failure) {
    error.value = (failure as Error).message;
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <form :aria-label="label" @submit.prevent="unlock">
    <ElInput
      v-model="passphrase"
      type="password"
      size="small"
      show-password
      autocomplete="off"
      :placeholder="placeholder"
      :aria-label="of"
    />
    <ElButton type="primary" size="small" native-type="submit" :disabled="!passphrase || isBusy">{{
      isBusy ? going : go
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
