<script setup lang="ts">
import { ElButton, ElCheckbox, ElInput } from 'element-plus';
import { FileText, Tag } from 'lucide-vue-next';
import { computed, reactive, ref, shallowRef, watch } from 'vue';
import type { JobDetail } from '@keen-larder/contract/jobs.ts';
import type { JobChange } from '@keen-larder/contract/requests/jobs.ts';
import { isOpen, jobStages, type Agreed, type JobStage } from '@keen-larder/core/jobs/stages.ts';
import { api } from '../../api/client.ts';
import { downloads } from '../../api/addresses.ts';
import EmptyState from '../../parts/EmptyState.vue';
import { runStates } from '../../parts/run-words.ts';
import { exactTime } from '../../parts/time.ts';
import JobFiles from './JobFiles.vue';
import TimeText from '../../parts/TimeText.vue';
import { useJobs } from '../../state/jobs.ts';
import { useLarder } from '../../state/larder.ts';
import { announceError } from '../../state/notices/notices.ts';
import { useRuns } from '../../state/runs.ts';

/** One job card: what is written on it, and what was done while it was open. */
const props = defineProps<{ id: string }>();
const jobs = useJobs();
const larder = useLarder();
const runs = useRuns();
const job = shallowRef<JobDetail>();
const error = ref<string>();
const note = ref('');
/** Handing over in spite of what speaks against it. */
const isAsked = ref(false);

const texts = [
  { name: 'complaint', label: 'What is wrong' },
  { name: 'arrival', label: 'Condition on arrival' },
  { name: 'accessories', label: 'Accessories' },
  { name: 'contact', label: 'Contact' },
] as const;
type TextName = (typeof texts)[number]['name'];
const draft = reactive<Record<TextName, string>>({
  complaint: '',
  arrival: '',
  accessories: '',
  contact: '',
});

/** What somebody is typing stays. */
function take(found: JobDetail): void {
  for (const { name } of texts) if (!job.value || draft[name] === job.value[name]) draft[name] = found[name];
  job.value = found;
}
watch(
  () => [jobs.version, larder.version, runs.live.length],
  () => api.job(props.id).then(take, (failure: unknown) => (error.value = (failure as Error).message)),
  { immediate: true },
);

async function change(what: JobChange): Promise<void> {
  try {
    take(await api.changeJob(props.id, what));
    isAsked.value = false;
  } catch (failure) {
    announceError(failure);
  }
}
const agree = (name: keyof Agreed, value: boolean) =>
  change({ agreed: { ...job.value!.agreed, [name]: value } });

async function addNote(): Promise<void> {
  try {
    take(await api.noteJob(props.id, note.value));
    note.value = '';
  } catch (failure) {
    announceError(failure);
  }
}

const save = (name: TextName) => {
  if (draft[name] !== job.value?.[name]) void change({ [name]: draft[name] });
};
const agreements: readonly (readonly [keyof Agreed, string])[] = [
  ['keepFirst', 'Keep what is on it first'],
  ['mayLose', 'User data may be lost'],
  ['mayLook', 'We may look into user data'],
];
const papers = [
  { name: 'a4', title: 'A4' },
  { name: 'letter', title: 'Letter' },
] as const;
/** By what was done: a hand that sets a stage proves nothing. */
const reached = computed(() => (job.value ? jobStages.indexOf(job.value.done) : 0));
/** What was done and written, the newest first. */
const story = computed(() =>
  job.value
    ? [
        ...job.value.runs.map((run) => ({
          key: run.id,
          at: run.startedAt,
          text: run.title,
          state: runStates[run.state] + (run.hasProof ? ', compared with what was kept' : ''),
          to: { name: 'runs', params: { id: run.id } },
        })),
        ...job.value.sets.map((set) => ({
          key: set.id,
          at: set.createdAt,
          text: `Set “${set.label}”`,
          state: set.complete ? 'kept' : 'kept, not complete',
          to: { name: 'set', params: { id: set.id } },
        })),
        ...job.value.notes.map((each) => ({
          ...{ key: `note ${each.id}`, at: each.at, text: each.text, to: undefined },
          state: each.by === undefined ? 'note' : `note by ${each.by}`,
        })),
      ].sort((a, b) => b.at - a.at)
    : [],
);
const setStage = (stage: JobStage) => {
  if (stage === 'handed over' && job.value!.beforeHandingOver.length > 0 && !isAsked.value)
    isAsked.value = true;
  else void change({ stage });
};
</script>

<template>
  <article v-if="job" class="page">
    <RouterLink to="/jobs" class="back">Jobs</RouterLink>
    <header>
      <h1>Job {{ job.number }} · {{ job.who }}</h1>
      <p class="soft">
        received {{ exactTime(job.openedAt)
        }}<template v-if="job.handedOverAt">, handed over {{ exactTime(job.handedOverAt) }}</template>
      </p>
    </header>
    <ol class="stages" aria-label="Stages">
      <li v-for="(stage, i) in jobStages" :key="stage" :class="{ reached: i <= reached }">
        <button
          type="button"
          :aria-current="stage === job.stage ? 'step' : undefined"
          :title="`Set to ${stage}`"
          @click="setStage(stage)"
        >
          {{ stage }}
        </button>
      </li>
    </ol>
    <section v-if="isAsked" class="asked" role="alert" aria-label="Before it is handed over">
      <p v-for="each in job.beforeHandingOver" :key="each">{{ each }}</p>
      <p>
        <ElButton size="small" type="danger" @click="change({ stage: 'handed over' })"
          >Hand it over anyway</ElButton
        >
        <ElButton size="small" @click="isAsked = false">Leave it</ElButton>
      </p>
    </section>
    <div class="columns">
      <section aria-label="On the card" class="paper">
        <div>
          <span class="soft">Phones</span>
          <ul>
            <li v-for="phone in job.phones" :key="phone.serial">
              <RouterLink :to="{ name: 'bench', params: { serial: phone.serial } }">{{
                phone.nickname
              }}</RouterLink>
              &nbsp;<span class="soft">{{ phone.maker }} {{ phone.model }} · {{ phone.serial }}</span>
            </li>
          </ul>
        </div>
        <label v-for="{ name, label } in texts" :key="name">
          <span class="soft">{{ label }}</span>
          <ElInput
            v-model="draft[name]"
            :type="name === 'complaint' ? 'textarea' : 'text'"
            :autosize="{ minRows: 2 }"
            :aria-label="label"
            @blur="save(name)"
          />
        </label>
        <fieldset>
          <legend class="soft">Agreed</legend>
          <ElCheckbox
            v-for="[name, label] in agreements"
            :key="name"
            :model-value="job.agreed[name]"
            @change="(value) => agree(name, value === true)"
            >{{ label }}</ElCheckbox
          >
        </fieldset>
      </section>
      <section aria-label="What was done" class="done">
        <JobFiles :job="job" @changed="take" />
        <form @submit.prevent="addNote">
          <ElInput v-model="note" placeholder="Write a note" maxlength="4000" aria-label="Note" />
          <ElButton native-type="submit" :disabled="note.trim() === ''">Add</ElButton>
        </form>
        <ul v-if="story.length" class="story">
          <li v-for="each in story" :key="each.key">
            <RouterLink v-if="each.to" :to="each.to">{{ each.text }}</RouterLink>
            <span v-else class="text">{{ each.text }}</span>
            <span class="soft">{{ each.state }} · <TimeText :at="each.at" /></span>
          </li>
        </ul>
        <p v-else class="soft">
          Nothing yet. Runs, sets and copies of
          {{ job.phones.length > 1 ? 'these phones' : 'this phone' }} join the card by themselves while it is
          open.
        </p>
        <p v-if="job.copyCount" class="soft">
          {{ job.copyCount }} {{ job.copyCount === 1 ? 'copy' : 'copies' }} of apps and records
          {{ job.copyCount === 1 ? 'was' : 'were' }} taken.
        </p>
      </section>
    </div>
    <p class="end">
      <a
        v-for="paper in papers"
        :key="paper.name"
        :href="downloads.jobReport(id, paper.name)"
        class="el-button"
        download
        ><FileText :size="15" aria-hidden="true" />&nbsp;Hand-over report, {{ paper.title }}</a
      >
      <a :href="downloads.jobPage(id)" class="el-button" download>as a web page</a>
      <RouterLink :to="{ name: 'job-label', params: { id } }" class="el-button"
        ><Tag :size="15" aria-hidden="true" />&nbsp;Label</RouterLink
      >
      <ElButton v-if="!isOpen(job.stage)" @click="change({ stage: 'received' })">Open it again</ElButton>
    </p>
  </article>
  <EmptyState v-else-if="error" title="This job card cannot be shown">
    {{ error }} <RouterLink to="/jobs">All job cards</RouterLink>
  </EmptyState>
  <p v-else class="soft">Opening the job card…</p>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
}

.stages {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}

.stages button {
  padding: 5px 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--panel);
  color: var(--ink-soft);
  font-weight: 600;
  cursor: pointer;
}

.reached button {
  border-color: var(--action);
  background: var(--action-tint);
  color: var(--ink);
}

.stages [aria-current] {
  background: var(--action);
  color: var(--on-action);
}

.asked {
  display: grid;
  gap: 6px;
  padding: 10px 14px;
  border: 1px solid var(--quince-rule);
  border-radius: 3px;
  background: var(--quince-tint);
}

.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(270px, 1fr));
  gap: 18px 24px;
  align-items: start;
}

.paper {
  display: grid;
  gap: 10px;
  padding: 12px 16px 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.paper > label {
  display: grid;
  gap: 3px;
}

fieldset {
  display: grid;
  gap: 4px;
  margin: 0;
  padding: 0;
  border: 0;
}

legend {
  padding: 0;
}

.done {
  display: grid;
  gap: 10px;
}

form {
  display: flex;
  gap: 8px;
}

.end {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}

.end a {
  margin: 0;
  text-decoration: none;
}

.story {
  display: grid;
  gap: 6px;
}

.story li {
  display: grid;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--rule);
  font-size: 13.5px;
}

.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}

.story .soft {
  font-size: 12.5px;
}
</style>
