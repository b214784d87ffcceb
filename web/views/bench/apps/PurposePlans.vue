<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, onMounted, ref } from 'vue';
import type { AppView } from '@keen-larder/contract/copies.ts';
import { certaintyWords, plansFor, type Plan } from '@keen-larder/core/apps/purposes/purposes.ts';
import { useApps } from '../../../state/apps.ts';
import PurposeDialog from '../../../tray/apps/known/PurposeDialog.vue';

/** Pre-installed apps by what they are for, to be turned off a kind at a time. */
const props = defineProps<{ serial: string; apps: readonly AppView[] }>();
const store = useApps();
const editing = ref(false);
onMounted(() => store.loadPurposes());

const installed = computed(() => props.apps.flatMap((app) => (app.installed ? [app.installed] : [])));
const plans = computed(() => plansFor(installed.value, store.purposes));
const count = ({ length }: readonly unknown[]) => `${length} ${length === 1 ? 'app' : 'apps'}`;
const restOf = ({ needed, off }: Plan) => [
  ...(off > 0 ? [`${off} off already`] : []),
  ...(needed.length > 0 ? [`the phone needs ${needed.join(', ')}`] : []),
];

function pick({ apps }: Plan): void {
  const picked = apps.map(({ package: name }) => name);
  Object.assign(store.draft(props.serial), { picked, confirmed: [], doing: 'change', action: 'disable' });
}
</script>

<template>
  <details class="plans">
    <summary>Pre-installed, by what they are for · {{ plans.length }}</summary>
    <ul>
      <li v-for="plan in plans" :key="plan.kind">
        <div>
          <strong>{{ plan.kind }}</strong>
          <span v-if="restOf(plan).length" class="soft">{{ ` · ${restOf(plan).join(' · ')}` }}</span>
          <div v-for="app in plan.apps" :key="app.package" class="soft">
            {{ app.label }}: {{ app.purpose.purpose }} {{ app.purpose.dependents }} ({{
              certaintyWords[app.purpose.certainty]
            }})
          </div>
        </div>
        <ElButton v-if="plan.apps.length" size="small" @click="pick(plan)"
          >Pick {{ count(plan.apps) }} to disable</ElButton
        >
      </li>
    </ul>
    <ElButton size="small" text @click="editing = true">What they are for…</ElButton>
    <PurposeDialog v-if="editing" @close="editing = false" @saved="store.loadPurposes()" />
  </details>
</template>

<style scoped>
.plans {
  font-size: 13px;
}

summary {
  cursor: pointer;
}

li {
  display: flex;
  gap: 12px;
  align-items: start;
  justify-content: space-between;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
</style>
