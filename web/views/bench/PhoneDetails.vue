<script setup lang="ts">
import { ElButton } from 'element-plus';
import { useClipboard } from '@vueuse/core';
import { CheckIcon, X } from 'lucide-vue-next';
import { computed, ref, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { surveyReport, waysFor, type Survey, type Tried } from '@keen-larder/core/phone/survey.ts';
import { api } from '../../api/client.ts';
import EmptyState from '../../parts/EmptyState.vue';
import TimeText from '../../parts/TimeText.vue';
import { announceError } from '../../state/notices/notices.ts';

/** What a phone's own tools can do, and which way will be used for each job. */
const props = defineProps<{ phone: PhoneView }>();
const survey = ref<Survey>();
const isAsking = ref(false);
const isHere = computed(() => props.phone.presence === 'here');

async function ask(work: (serial: string) => Promise<Survey | undefined>): Promise<void> {
  const { serial } = props.phone;
  isAsking.value = true;
  try {
    const found = await work(serial);
    if (props.phone.serial === serial) survey.value = found;
  } catch (error) {
    announceError(error);
  }
  isAsking.value = false;
}
watch(
  () => [props.phone.serial, props.phone.facts?.mode, isHere.value] as const,
  () => {
    survey.value = undefined;
    if (isHere.value) void ask(api.survey);
  },
  { immediate: true },
);

const ways = computed(() => (survey.value ? waysFor(survey.value) : []));
const report = computed(() =>
  survey.value
    ? surveyReport(survey.value, `${props.phone.maker} ${props.phone.model}`, [
        props.phone.serial,
        props.phone.nickname,
      ])
    : '',
);
const { copy, copied } = useClipboard({ legacy: true });
/** What somebody should look at. */
const isOdd = (result: Tried) => result === 'wrong' || result === 'refused';
</script>

<template>
  <section v-if="isHere" aria-labelledby="details">
    <div class="tools">
      <h2 id="details">What this phone’s own tools can do</h2>
      <ElButton
        size="small"
        :loading="isAsking"
        :disabled="phone.runId !== undefined"
        title="Tries its tools by reading alone; nothing is written"
        @click="ask(api.makeSurvey)"
      >
        {{ survey ? 'Survey it again' : 'Survey it' }}
      </ElButton>
      <ElButton v-if="survey" size="small" @click="copy(report)">
        {{ copied ? 'Copied' : 'Copy the report' }}
      </ElButton>
    </div>
    <template v-if="survey">
      <p class="soft">
        Surveyed <TimeText :at="survey.at" /> in {{ survey.mode }} mode, by reading alone; remembered for this
        build{{ survey.build ? ` (${survey.build})` : '' }}. The report names neither its serial nor its
        nickname.
      </p>
      <table v-if="ways.length" class="ways">
        <tbody>
          <tr v-for="{ job, isPossible, how } in ways" :key="job">
            <th scope="row">
              <component
                :is="isPossible ? CheckIcon : X"
                :size="15"
                role="img"
                :aria-label="isPossible ? 'possible' : 'not possible'"
                :class="{ able: isPossible }"
              />
              {{ job }}
            </th>
            <td>{{ how }}</td>
          </tr>
        </tbody>
      </table>
      <h3>What was tried</h3>
      <table class="tried">
        <tbody>
          <tr v-for="{ what, result, found } in survey.findings" :key="what" :class="{ odd: isOdd(result) }">
            <th scope="row">{{ what }}</th>
            <td>{{ result }}</td>
            <td class="soft">{{ found }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <p v-else-if="isAsking" class="soft">Asking the phone…</p>
    <p v-else class="soft">Not surveyed in this mode yet.</p>
  </section>
  <EmptyState v-else title="This phone does not answer now">
    Connect it: what its tools can do is found out on the phone itself.
  </EmptyState>
</template>

<style scoped>
section {
  display: grid;
  gap: 10px;
  max-width: 860px;
}

.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}

.tools .el-button {
  margin: 0;
}

h2 {
  margin-right: auto;
  font-size: 16px;
}

h3 {
  margin-top: 6px;
  font-size: 14px;
}

table {
  border-collapse: collapse;
}

tr {
  border-top: 1px solid var(--rule);
}

th,
td {
  padding: 4px 14px 4px 0;
  font-weight: 400;
  text-align: left;
  vertical-align: top;
}

.ways th {
  width: 250px;
  font-weight: 600;
}

.ways svg {
  margin-right: 6px;
  vertical-align: -2px;
  color: var(--ink-soft);
}

.ways .able {
  color: var(--action);
}

.tried {
  font-size: 13px;
}

.tried th {
  width: 250px;
}

.tried td:nth-child(2) {
  width: 90px;
}

.odd td:nth-child(2) {
  color: var(--quince);
  font-weight: 700;
}
</style>
