<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, shallowRef, watch } from 'vue';
import type { AppView, TurnedOffView } from '@keen-larder/contract/copies.ts';
import { sameOff, type AppAction } from '@keen-larder/core/apps/built-in.ts';
import { api } from '../../../api/client.ts';
import TimeText from '../../../parts/TimeText.vue';
import { useApps } from '../../../state/apps.ts';

/** What is off on other phones of this model, to be turned off here as well. */
const props = defineProps<{ serial: string; apps: readonly AppView[] }>();
const store = useApps();
const others = shallowRef<readonly TurnedOffView[]>([]);

watch(
  () => [props.serial, props.apps] as const,
  async ([serial]) => {
    const found = await api.turnedOffElsewhere(serial).catch(() => []);
    if (serial === props.serial) others.value = found;
  },
  { immediate: true },
);

const here = computed(() => props.apps.flatMap(({ installed }) => (installed ? [installed] : [])));
const rows = computed(() => others.value.map((other) => ({ other, same: sameOff(here.value, other.apps) })));
const count = (labels: readonly unknown[]) => `${labels.length} ${labels.length === 1 ? 'app' : 'apps'}`;

function pick(names: readonly string[], action: AppAction): void {
  Object.assign(store.draft(props.serial), { picked: [...names], confirmed: [], doing: 'change', action });
}
</script>

<template>
  <details v-if="rows.length" class="elsewhere">
    <summary>Turned off on other phones of this model · {{ rows.length }}</summary>
    <ul>
      <li v-for="{ other, same } in rows" :key="other.serial">
        <span :title="other.apps.map(({ label, how }) => `${label}: ${how}`).join('\n')"
          ><strong>{{ other.nickname }}</strong> · {{ count(other.apps) }},
          <TimeText :at="other.at" />
          <template v-if="same.already.length"> · {{ same.already.length }} off here already</template>
          <template v-if="same.missing.length">
            · not on this phone: {{ same.missing.join(', ') }}</template
          ></span
        >
        <span class="picks">
          <ElButton v-if="same.disable.length" size="small" @click="pick(same.disable, 'disable')"
            >Pick {{ count(same.disable) }} to disable</ElButton
          >
          <ElButton v-if="same.remove.length" size="small" @click="pick(same.remove, 'remove')"
            >Pick {{ count(same.remove) }} to remove</ElButton
          >
        </span>
      </li>
    </ul>
  </details>
</template>

<style scoped>
.elsewhere {
  font-size: 13px;
}

summary {
  cursor: pointer;
}

li {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
  justify-content: space-between;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}

.picks {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 6px;
}

.picks .el-button {
  margin: 0;
}
</style>
