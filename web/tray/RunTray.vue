<script setup lang="ts">
import { ElButton, ElCheckbox } from 'element-plus';
import { CheckIcon, CircleDashed, LoaderCircle, OctagonX } from 'lucide-vue-next';
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import { isLive, type RunView } from '@keen-larder/contract/runs.ts';
import { aboutText, durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import ProgressLine from '../parts/ProgressLine.vue';
import RunButtons from '../views/runs/RunButtons.vue';
import { runKinds, runStates } from '../parts/run-words.ts';
import { useCopies } from '../state/larder/copies.ts';
import { useDesktop } from '../state/notices/desktop.ts';
import FigureGrid from './FigureGrid.vue';
import TrayFrame from './TrayFrame.vue';

const props = defineProps<{ run: RunView }>();
const emit = defineEmits<{ aside: [] }>();
const desktop = useDesktop();
const copies = useCopies();
const router = useRouter();

const icons = { waiting: CircleDashed, running: LoaderCircle, done: CheckIcon, failed: OctagonX } as const;
const live = computed(() => isLive(props.run));
/** Apps that it copied from a phone: they may go on as one archive for a recovery. */
const taken = computed(() =>
  props.run.kind === 'copying' && !live.value && props.run.serial !== undefined
    ? props.run.steps.flatMap(({ state, app }) => (state === 'done' && app !== undefined ? [app] : []))
    : [],
);
async function carry(): Promise<void> {
  await copies.pickTaken(props.run.serial!, taken.value, props.run.startedAt);
  await router.push({ name: 'copies' });
}
const step = computed(() => props.run.steps.find(({ state }) => state === 'running'));
const figures = computed(() => {
  const { run } = props;
  return [
    { value: sizeText(run.doneBytes), name: `of ${sizeText(run.bytes)}` },
    { value: `${sizeText(run.bytesPerSecond)}/s`, name: live.value ? 'now' : 'on average' },
    live.value
      ? { value: run.leftMs === undefined ? '–' : aboutText(run.leftMs), name: 'left' }
      : { value: durationText((run.endedAt ?? run.startedAt) - run.startedAt), name: 'it took' },
    {
      value: `${run.steps.filter(({ state }) => state === 'done').length} of ${run.steps.length}`,
      name: 'steps done',
    },
  ];
});
</script>

<template>
  <TrayFrame :title="`Tray · ${runKinds[run.kind]} · ${runStates[run.state]}`">
    <div data-run :data-state="run.state">
      <h3>{{ run.title }}</h3>
    </div>
    <p v-if="run.waitingFor" class="outcome waiting" role="status">
      {{ run.waitingFor }} The run then goes on by itself.
    </p>
    <p v-if="run.state === 'queued'" class="soft">
      It begins when the run before it on this phone has ended well.
    </p>
    <template v-if="live && run.state !== 'queued'">
      <div>
        <p class="line">
          <span>{{ step?.text ?? 'Starting' }}</span>
        </p>
        <ProgressLine
          :done="step?.doneBytes ?? 0"
          :whole="step?.bytes ?? 0"
          :name="step?.text ?? 'Present step'"
        />
      </div>
      <div>
        <p class="line">
          <span>The whole</span
          ><span>{{ run.bytes ? Math.floor((run.doneBytes / run.bytes) * 100) : 0 }} %</span>
        </p>
        <ProgressLine :done="run.doneBytes" :whole="run.bytes" name="The whole run" />
      </div>
    </template>
    <p v-else-if="!live" class="outcome" :class="run.state" role="status">{{ run.outcome }}</p>
    <FigureGrid :figures="figures" />
    <ol>
      <li v-for="(each, i) in run.steps" :key="i" :class="each.state">
        <component :is="icons[each.state]" :size="14" role="img" :aria-label="each.state" />
        <span
          >{{ each.text
          }}<span v-if="each.state === 'done' && each.partition && each.bytes === 0" class="soft">
            · not read again</span
          ><span v-if="each.state === 'failed' && each.result" class="why">{{ each.result }}</span></span
        >
      </li>
    </ol>
    <template #foot>
      <ElCheckbox
        v-if="live && desktop.isThere"
        :model-value="desktop.wantsRuns"
        size="small"
        @update:model-value="(is) => desktop.want('runs', Boolean(is))"
        >Tell me on the desktop when a run ends</ElCheckbox
      >
      <div class="buttons">
        <RunButtons :run="run" size="large" />
        <template v-if="!live">
          <ElButton v-if="taken.length" size="large" @click="carry">Carry them along…</ElButton>
          <RouterLink
            v-if="run.setId && (run.kind === 'imaging' || run.kind === 'importing')"
            :to="{ name: 'set', params: { id: run.setId } }"
          >
            Open the set
          </RouterLink>
          <ElButton type="primary" size="large" @click="emit('aside')">Put aside</ElButton>
        </template>
        <RouterLink :to="{ name: 'runs', params: { id: run.id } }">{{
          run.hasProof ? 'Proof, log and chart' : 'Log and chart'
        }}</RouterLink>
      </div>
    </template>
  </TrayFrame>
</template>

<style scoped>
h3 {
  font-size: 15px;
  line-height: 1.3;
}

.line {
  display: flex;
  justify-content: space-between;
  margin-bottom: 3px;
  font-size: 13px;
}

.outcome {
  padding: 9px 10px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.done.outcome {
  border-color: var(--action);
  background: var(--action-tint);
}

.failed.outcome,
.interrupted.outcome {
  border-color: var(--beetroot-rule);
  background: var(--beetroot-tint);
}

.incomplete.outcome,
.waiting.outcome,
.cancelled.outcome {
  border-color: var(--quince-rule);
  background: var(--quince-tint);
}

ol {
  display: grid;
  gap: 3px;
  font-size: 13px;
}

li {
  display: grid;
  grid-template-columns: 14px 1fr;
  align-items: center;
  gap: 7px;
}

li.waiting {
  color: var(--ink-soft);
}

li.done svg {
  color: var(--action);
}

li.failed {
  color: var(--beetroot);
}

li.running svg {
  color: var(--action);
  animation: turn 1.2s linear infinite;
}

@keyframes turn {
  to {
    transform: rotate(360deg);
  }
}

.buttons {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  justify-content: space-between;
  gap: 10px;
}

.why {
  display: block;
  color: var(--beetroot);
  overflow-wrap: anywhere;
}
</style>
