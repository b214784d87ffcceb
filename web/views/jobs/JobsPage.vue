<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { JobDetail, JobView } from '@keen-larder/contract/jobs.ts';
import { isOpen, jobStages } from '@keen-larder/core/jobs/stages.ts';
import EmptyState from '../../parts/EmptyState.vue';
import TimeText from '../../parts/TimeText.vue';
import { useJobs } from '../../state/jobs.ts';
import JobForm from './JobForm.vue';
import JobPage from './JobPage.vue';
import ShopHead from './ShopHead.vue';

/** Job cards by their stage, and one of them. */
defineProps<{ id?: string }>();
const jobs = useJobs();
const route = useRoute();
const router = useRouter();
const words = ref('');
/** The phone that a new card is for comes with the address. */
const isNew = ref(route.query['for'] !== undefined);
const forSerial = computed(() => {
  const found = route.query['for'];
  return typeof found === 'string' && found !== '' ? found : undefined;
});
/** So many of those handed over are shown; the others are found by typing. */
const mostPast = 20;

const textOf = ({ number, who, contact, complaint, phones }: JobView) =>
  [
    number,
    who,
    contact,
    complaint,
    ...phones.flatMap(({ nickname, model, serial }) => [nickname, model, serial]),
  ]
    .join(' ')
    .toLowerCase();
const shown = computed(() => {
  const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
  return (jobs.list ?? []).filter((job) => wanted.every((word) => textOf(job).includes(word)));
});
const columns = computed(() =>
  jobStages.map((stage) => {
    const all = shown.value.filter((job) => job.stage === stage);
    return { stage, count: all.length, cards: isOpen(stage) ? all : all.slice(0, mostPast) };
  }),
);

function opened({ id }: JobDetail): void {
  isNew.value = false;
  void router.push({ name: 'jobs', params: { id } });
}
</script>

<template>
  <JobPage v-if="id" :id="id" :key="id" />
  <article v-else class="page">
    <header>
      <h1>Jobs</h1>
      <ElInput
        v-if="jobs.list?.length"
        v-model="words"
        data-filter
        clearable
        placeholder="Who, phone, number…"
        aria-label="Filter the job cards"
        class="words"
      />
      <ElButton v-if="!isNew" type="primary" class="new" @click="isNew = true">New job card</ElButton>
    </header>
    <JobForm v-if="isNew" :serial="forSerial" @opened="opened" @left="isNew = false" />
    <p v-if="jobs.list === undefined" class="soft">Loading the job cards…</p>
    <EmptyState v-else-if="jobs.list.length === 0 && !isNew" title="No job card yet">
      A card is one visit of a phone: who brought it, what is wrong, what was agreed. What is kept, changed
      and proved while it is open joins it by itself.
    </EmptyState>
    <div v-else-if="jobs.list.length" class="board">
      <section v-for="column in columns" :key="column.stage" :aria-label="column.stage">
        <h2 class="zone">{{ column.stage }} · {{ column.count }}</h2>
        <ul>
          <li v-for="job in column.cards" :key="job.id">
            <RouterLink :to="{ name: 'jobs', params: { id: job.id } }" class="card">
              <strong>{{ job.number }} · {{ job.who }}</strong>
              <span>{{ job.phones.map(({ nickname }) => nickname).join(', ') }}</span>
              <span v-if="job.complaint" class="soft complaint">{{ job.complaint }}</span>
              <span class="soft">
                <template v-if="job.handedOverAt">handed over <TimeText :at="job.handedOverAt" /></template>
                <template v-else>since <TimeText :at="job.openedAt" /></template>
              </span>
            </RouterLink>
          </li>
        </ul>
        <p v-if="column.count > column.cards.length" class="soft">
          {{ column.count - column.cards.length }} more: type to find them
        </p>
      </section>
    </div>
    <ShopHead v-if="jobs.list !== undefined" />
  </article>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
}

.words {
  width: 240px;
}

.new {
  margin-left: auto;
}

.board {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(126px, 1fr));
  gap: 10px;
  align-items: start;
}

section {
  display: grid;
  gap: 8px;
  min-width: 0;
}

ul {
  display: grid;
  gap: 8px;
}

.card {
  display: grid;
  gap: 2px;
  padding: 9px 11px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  color: inherit;
  font-size: 13px;
  text-decoration: none;
  overflow-wrap: anywhere;
}

.card:hover {
  border-color: var(--action);
}

.card strong {
  font-size: 14px;
}

.complaint {
  display: -webkit-box;
  overflow: hidden;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 3;
}
</style>
