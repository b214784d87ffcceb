<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, watch } from 'vue';
import { api } from '../../../api/client.ts';
import { useApps } from '../../../state/apps.ts';

/** Programs that an archive left on the phone: only its running system installs them. */
const props = defineProps<{ serial: string; version: unknown }>();
const store = useApps();

watch(
  () => [props.serial, props.version] as const,
  async ([serial]) => {
    const found = await api.waitingPrograms(serial).catch(() => []);
    store.waiting = { ...store.waiting, [serial]: found };
  },
  { immediate: true },
);

const waiting = computed(() => store.waiting[props.serial] ?? []);
const names = computed(() => waiting.value.map((each) => each.package));

function pick(ofWaiting: readonly string[]): void {
  Object.assign(store.draft(props.serial), { picked: [], confirmed: [], ofWaiting: [...ofWaiting] });
}
</script>

<template>
  <p v-if="waiting.length" class="waiting" role="status">
    <span>
      {{ waiting.length === 1 ? 'One program waits' : `${waiting.length} programs wait` }} on this phone: an
      archive left {{ names.join(', ') }} there, since recovery installs no programs.
    </span>
    <ElButton v-if="store.draft(serial).ofWaiting.length" size="small" @click="pick([])">Not now</ElButton>
    <ElButton v-else size="small" type="primary" @click="pick(names)">Install…</ElButton>
  </p>
</template>

<style scoped>
.waiting {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  justify-content: space-between;
  padding: 6px 10px;
  border: 1px solid var(--quince);
  border-radius: 3px;
  background: var(--quince-tint);
  font-size: 13px;
}
</style>
