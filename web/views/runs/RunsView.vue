<script setup lang="ts">
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { RunState, RunView } from '@keen-larder/contract/runs.ts';
import { api } from '../../api/client.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import EmptyState from '../../parts/EmptyState.vue';
import { runKinds, runStates } from '../../parts/run-words.ts';
import { clockTime, exactDay } from '../../parts/time.ts';
import { announceError, useNotices } from '../../state/notices/notices.ts';
import { useRuns } from '../../state/runs.ts';
import RunDetail from './RunDetail.vue';

const props = defineProps<{ id?: string }>();
const runs = useRuns();
const run = computed(() => (props.id ? runs.byId[props.id] : undefined));

/** Filters of the list, in the address: a link to it shows the same. */
const route = useRoute();
const router = useRouter();
const inAddress = (name: string) =>
  computed({
    get: () => String(route.query[name] ?? ''),
    set: (value: string | undefined) =>
      void router.replace({ query: { ...route.query, [name]: value || undefined } }),
  });
const kind = inAddress('kind');
const serial = inAddress('phone');
const outcome = inAddress('outcome');
const words = inAddress('words');
const isFiltered = computed(() => Boolean(kind.value || serial.value || outcome.value || words.value.trim()));
const showAll = () => void router.replace({ query: {} });

/** What came of a run, as one looks for it. */
const outcomes: Readonly<Record<string, readonly RunState[]>> = {
  'under way': ['queued', 'running', 'paused', 'waiting'],
  done: ['done'],
  'not complete, failed or interrupted': ['incomplete', 'failed', 'interrupted'],
  cancelled: ['cancelled'],
};
/** Kinds and phones that there are. */
const kinds = computed(() => [...new Set(runs.list.map((each) => each.kind))]);
const phones = computed(() => [
  ...new Map(runs.list.flatMap((each) => (each.serial ? [[each.serial, each.nickname ?? each.serial]] : []))),
]);

const shown = computed(() => {
  const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
  return runs.list.filter(
    (each) =>
      (!kind.value || each.kind === kind.value) &&
      (!serial.value || each.serial === serial.value) &&
      (!outcome.value || outcomes[outcome.value]?.includes(each.state)) &&
      wanted.every((word) =>
        `${each.title} ${each.outcome ?? ''} ${each.by ?? ''}`.toLowerCase().includes(word),
      ),
  );
});
const step = 60;
const most = ref(step);
watch([kind, serial, outcome, words], () => (most.value = step));
/** By the day on which they began. */
const days = computed(() => {
  const found = new Map<string, RunView[]>();
  for (const each of shown.value.slice(0, most.value)) {
    const day = exactDay(each.startedAt);
    found.set(day, [...(found.get(day) ?? []), each]);
  }
  return [...found];
});

const clearDays = 90;
const isAsked = ref(false);
async function clear(): Promise<void> {
  isAsked.value = false;
  try {
    const { cleared } = await api.clearRuns(clearDays);
    await runs.load();
    useNotices().say({
      kind: 'good',
      title: cleared === 0 ? 'No run was old enough' : `${cleared} ${cleared === 1 ? 'run' : 'runs'} cleared`,
      message: `Kept: the last ${clearDays} days, runs with a proof, those that can be resumed, and those of job cards.`,
    });
  } catch (failure) {
    announceError(failure);
  }
}
</script>

<template>
  <RunDetail v-if="run" :key="run.id" :run="run" />
  <EmptyState v-else-if="id && runs.loaded" title="There is no such run"
    ><RouterLink to="/runs">Go to the runs</RouterLink></EmptyState
  >
  <template v-else>
    <header>
      <h1>Runs</h1>
      <template v-if="runs.list.length">
        <ElInput
          v-model="words"
          data-filter
          clearable
          placeholder="Title, outcome, operator…"
          aria-label="Filter the runs"
          class="words"
        />
        <ElSelect v-model="kind" clearable placeholder="any kind" aria-label="Kind of run" class="choice">
          <ElOption v-for="each in kinds" :key="each" :value="each" :label="runKinds[each]" />
        </ElSelect>
        <ElSelect v-model="serial" clearable placeholder="any phone" aria-label="Phone" class="choice">
          <ElOption v-for="[value, name] in phones" :key="value" :value="value" :label="name" />
        </ElSelect>
        <ElSelect v-model="outcome" clearable placeholder="any outcome" aria-label="Outcome" class="choice">
          <ElOption v-for="(_states, name) in outcomes" :key="name" :value="name" :label="String(name)" />
        </ElSelect>
      </template>
    </header>
    <template v-if="runs.list.length">
      <p v-if="isFiltered" class="soft" role="status">
        {{ shown.length }} of {{ runs.list.length }} runs.
        <a href="#" @click.prevent="showAll">Show all</a>
      </p>
      <section v-for="[day, list] in days" :key="day" :aria-label="day">
        <h2 class="zone">{{ day }}</h2>
        <ul>
          <li v-for="each in list" :key="each.id">
            <span class="time">{{ clockTime(each.startedAt).slice(0, 5) }}</span>
            <div class="what">
              <RouterLink :to="{ name: 'runs', params: { id: each.id } }">{{ each.title }}</RouterLink>
              <p v-if="each.outcome" class="soft outcome" :title="each.outcome">{{ each.outcome }}</p>
            </div>
            <span class="number soft">
              <template v-if="each.doneBytes > 0">{{ sizeText(each.doneBytes) }} · </template
              >{{ each.endedAt ? durationText(each.endedAt - each.startedAt) : '' }}
            </span>
            <span class="state" :class="each.state">{{ runStates[each.state] }}</span>
          </li>
        </ul>
      </section>
      <p class="foot">
        <ElButton v-if="shown.length > most" size="small" @click="most += step"
          >{{ shown.length - most }} earlier runs</ElButton
        >
        <template v-if="isAsked">
          Clear the runs and logs of more than {{ clearDays }} days ago? Runs with a proof, those that can be
          resumed and those of job cards stay.
          <ElButton size="small" type="primary" @click="clear">Clear them</ElButton>
          <ElButton size="small" @click="isAsked = false">Leave them</ElButton>
        </template>
        <ElButton v-else size="small" @click="isAsked = true">Clear old runs…</ElButton>
      </p>
    </template>
    <EmptyState v-else-if="runs.loaded" title="Nothing has been run yet"
      >Imaging, putting back, verifying and exporting show here, with their logs.</EmptyState
    >
    <p v-else class="soft">Loading the runs…</p>
  </template>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin-bottom: 12px;
}

h1 {
  font-size: 24px;
}

.words {
  width: 220px;
}

.choice {
  width: 150px;
}

section {
  margin-top: 16px;
}

.zone {
  margin-bottom: 4px;
}

li {
  display: grid;
  grid-template-columns: 44px minmax(0, 1fr) auto auto;
  gap: 2px 12px;
  align-items: baseline;
  padding: 6px 0;
  border-top: 1px solid var(--rule);
  font-size: 13.5px;
}

.time,
.number {
  white-space: nowrap;
}

.what a {
  font-weight: 600;
}

.outcome {
  overflow: hidden;
  font-size: 12.5px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.foot {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 16px;
}

.foot > * {
  margin: 0;
}

.state {
  padding: 0 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.running {
  border-color: var(--action);
  color: var(--action);
  font-weight: 600;
}

.failed,
.interrupted {
  border-color: var(--beetroot);
  background: var(--beetroot-tint);
  color: var(--beetroot);
}

.cancelled {
  border-color: var(--quince);
  background: var(--quince-tint);
  color: var(--quince);
}
</style>
