<script setup lang="ts">
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { aboutText } from '@keen-larder/core/bytes/units.ts';
import { useLarder } from '../state/larder.ts';
import { useRuns } from '../state/runs.ts';
import BatteryMark from './BatteryMark.vue';
import ModeBadge from './ModeBadge.vue';
import ProgressLine from '../parts/ProgressLine.vue';
import { runStates } from '../parts/run-words.ts';
import TimeText from '../parts/TimeText.vue';

const props = defineProps<{ phone: PhoneView }>();
const runs = useRuns();
const larder = useLarder();
const run = computed(() => runs.ofPhone(props.phone.serial));
const due = computed(() => larder.dueOf(props.phone));
const step = computed(() => run.value?.steps.find(({ state }) => state === 'running'));
const stepNumber = computed(() => (run.value?.steps.findIndex(({ state }) => state === 'running') ?? 0) + 1);
</script>

<template>
  <RouterLink
    :to="{ name: 'bench', params: { serial: phone.serial } }"
    class="bay"
    :class="phone.presence"
    :data-serial="phone.serial"
  >
    <span class="head">
      <strong>{{ phone.nickname }}</strong>
      <BatteryMark v-if="phone.presence === 'here'" :battery="phone.facts?.battery" />
    </span>
    <span class="soft model">
      {{ phone.maker }} {{ phone.model
      }}<template v-if="phone.facts?.condition.androidVersion">
        · Android {{ phone.facts.condition.androidVersion }}</template
      >
    </span>
    <span class="foot">
      <ModeBadge :phone="phone" />
      <span v-if="due && !run" class="due">Due: {{ due }}</span>
      <span v-else class="soft">
        <template v-if="phone.newestSetAt">kept <TimeText :at="phone.newestSetAt" /></template>
        <template v-else>never kept</template>
      </span>
    </span>
    <template v-if="run">
      <ProgressLine :done="run.doneBytes" :whole="run.bytes" :name="run.title" />
      <span class="run">
        <span v-if="run.waitingFor">{{ run.waitingFor }}</span>
        <span v-else
          ><template v-if="run.state !== 'running'">{{ runStates[run.state] }} · </template
          >{{ stepNumber }} of {{ run.steps.length }} ·
          {{ step?.partition ?? step?.text ?? 'starting' }}</span
        >
        <span v-if="run.leftMs !== undefined && run.doneBytes < run.bytes"
          >{{ aboutText(run.leftMs) }} left</span
        >
      </span>
    </template>
  </RouterLink>
</template>

<style scoped>
.bay {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 4px;
  padding: 9px 11px;
  border: 1px solid var(--rule);
  border-left-width: 4px;
  border-radius: 4px;
  background: var(--card);
  color: inherit;
  text-decoration: none;
}

.bay:hover {
  border-color: var(--rule-strong);
}

.router-link-active {
  border-color: var(--action);
}

.looping {
  border-left-color: var(--beetroot);
}

.away {
  background: transparent;
}

.head,
.foot,
.run {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
}

.head strong {
  overflow: hidden;
  font-size: 15px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.model,
.foot,
.run {
  font-size: 12.5px;
}

.due {
  color: var(--quince);
  font-size: 12.5px;
  font-weight: 600;
}

.foot {
  flex-wrap: wrap;
}
</style>
