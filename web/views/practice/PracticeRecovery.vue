<script setup lang="ts">
import { ElButton } from 'element-plus';
import { ref } from 'vue';
import type { PracticePhone } from '@keen-larder/contract/practice.ts';
import { api } from '../../api/client.ts';
import { announceError } from '../../state/notices/notices.ts';

/** The screen of a simulated recovery: installs a package as from its memory card, and shows what that says. */
const props = defineProps<{ phone: PracticePhone }>();
const emit = defineEmits<{ changed: [] }>();
const picker = ref<HTMLInputElement>();
const isBusy = ref(false);

async function install(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const [file] = input.files ?? [];
  if (!file) return;
  isBusy.value = true;
  await api.installPackage(props.phone.serial, file).catch(announceError);
  input.value = '';
  isBusy.value = false;
  emit('changed');
}
</script>

<template>
  <input ref="picker" type="file" accept=".zip" hidden aria-label="Package for recovery" @change="install" />
  <ElButton size="small" :loading="isBusy" @click="picker?.click()">Install a package…</ElButton>
  <span class="soft">as from its memory card</span>
  <div v-if="phone.installed" class="screen" role="status" :class="{ failed: !phone.installed.isGood }">
    <p v-for="(line, i) in phone.installed.lines" :key="i">{{ line }}</p>
  </div>
</template>

<style scoped>
.screen {
  flex-basis: 100%;
  padding: 6px 10px;
  border-left: 3px solid var(--action);
  font-family: var(--mono);
  font-size: 12px;
  overflow-wrap: anywhere;
}

.screen.failed {
  border-color: var(--beetroot);
}
</style>
