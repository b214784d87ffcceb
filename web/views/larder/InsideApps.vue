<script setup lang="ts">
import { ElButton, ElCheckbox } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import type { AppInside } from '@keen-larder/contract/copies.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { announceError } from '../../state/notices/notices.ts';
import { useRuns } from '../../state/runs.ts';
import SizeText from '../../parts/SizeText.vue';

/** Apps of the owner's in user data, kept or on a phone in recovery, each of which can be taken out as a copy. */
const props = defineProps<{
  title: string;
  /** What the apps are of: when that changes, they are asked for anew. */
  subject: string;
  load: () => Promise<readonly AppInside[]>;
  takeOut: (packages: string[]) => Promise<RunView>;
}>();
const runs = useRuns();
const apps = shallowRef<readonly AppInside[]>();
const error = ref<string>();
const picked = ref<string[]>([]);
watch(
  () => props.subject,
  async (subject) => {
    apps.value = undefined;
    picked.value = [];
    try {
      const found = await props.load();
      if (subject !== props.subject) return;
      apps.value = found;
      error.value = undefined;
    } catch (failure) {
      error.value = (failure as Error).message;
    }
  },
  { immediate: true },
);
const toggle = (name: string, is: boolean) =>
  (picked.value = is ? [...picked.value, name] : picked.value.filter((each) => each !== name));
const count = computed(() => `${picked.value.length} ${picked.value.length === 1 ? 'app' : 'apps'}`);
async function take(): Promise<void> {
  try {
    runs.take(await props.takeOut(picked.value));
    picked.value = [];
  } catch (failure) {
    announceError(failure);
  }
}
</script>

<template>
  <section v-if="apps?.length || error">
    <h2>{{ title }}</h2>
    <p v-if="error" class="soft">{{ error }}</p>
    <template v-else>
      <ul>
        <li v-for="app in apps" :key="app.package">
          <ElCheckbox
            :model-value="picked.includes(app.package)"
            :aria-label="`Pick ${app.label}`"
            @update:model-value="(is) => toggle(app.package, Boolean(is))"
          />
          <span><strong>{{ app.label }}</strong> <code>{{ app.package }}</code></span>
          <span>{{ app.versionName ?? app.versionCode }}</span>
          <SizeText :bytes="app.programBytes" />
          <span class="soft">{{ app.hasData ? 'with data' : 'program only' }}</span>
        </li>
      </ul>
      <ElButton :disabled="picked.length === 0" @click="take">Take {{ count }} into the larder</ElButton>
    </template>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 8px;
  justify-items: start;
}

h2 {
  font-size: 16px;
}

ul {
  width: 100%;
  font-size: 13.5px;
}

li {
  display: grid;
  grid-template-columns: 26px 1fr 70px 90px 90px;
  align-items: center;
  gap: 10px;
  border-bottom: 1px solid var(--rule);
}

code {
  color: var(--ink-soft);
  font-size: 11.5px;
}
</style>
