<script setup lang="ts">
import { ElButton } from 'element-plus';
import { ref, watch } from 'vue';
import type { AppCode } from '@keen-larder/contract/copies.ts';
import TrackerDialog from './known/TrackerDialog.vue';

/** Other makers' trackers in an app's code; looked for when asked, since the code has to be read for it. */
const props = defineProps<{ subject: string; load: () => Promise<AppCode> }>();
const found = ref<AppCode>();
const error = ref<string>();
const busy = ref(false);
const editing = ref(false);
let turn = 0;
watch(
  () => props.subject,
  () => {
    turn++;
    found.value = error.value = undefined;
    busy.value = false;
  },
);

async function look(): Promise<void> {
  const mine = ++turn;
  busy.value = true;
  try {
    const code = await props.load();
    if (mine === turn) [found.value, error.value] = [code, undefined];
  } catch (failure) {
    if (mine === turn) error.value = (failure as Error).message;
  } finally {
    if (mine === turn) busy.value = false;
  }
}

const classesText = (count: number) => `${count} ${count === 1 ? 'class' : 'classes'}`;
</script>

<template>
  <div>
    <ul v-if="found?.trackers.length">
      <li v-for="each in found.trackers" :key="each.name">
        <strong>{{ each.name }}</strong>
        <span class="soft">{{ classesText(each.classes) }}</span>
        <span class="soft purpose">{{ each.purpose }}</span>
      </li>
    </ul>
    <p v-else-if="found" class="soft">No known tracker among its {{ classesText(found.classes) }}.</p>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <p class="does">
      <ElButton v-if="!found" size="small" :loading="busy" @click="look">Look into its code</ElButton>
      <ElButton size="small" text @click="editing = true">Known trackers…</ElButton>
    </p>
    <TrackerDialog v-if="editing" @close="editing = false" @saved="found && look()" />
  </div>
</template>

<style scoped>
ul,
p {
  font-size: 12.5px;
}

li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
}

.purpose {
  grid-column: 1 / -1;
  font-size: 12px;
}

.does {
  margin-top: 6px;
}
</style>
