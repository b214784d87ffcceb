<script setup lang="ts">
import { computed, nextTick, onMounted, useTemplateRef, watch } from 'vue';
import { isLive, type RunView } from '@keen-larder/contract/runs.ts';
import { aboutText, durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import ThroughputChart from '../../charts/ThroughputChart.vue';
import ProgressLine from '../../parts/ProgressLine.vue';
import RunButtons from './RunButtons.vue';
import { clockTime, exactTime } from '../../parts/time.ts';
import BatchTable from './BatchTable.vue';
import ProofTable from './ProofTable.vue';
import { announceError } from '../../state/notices/notices.ts';
import { useRuns } from '../../state/runs.ts';

const props = defineProps<{ run: RunView }>();
const runs = useRuns();
const log = computed(() => runs.logs[props.run.id] ?? []);
const box = useTemplateRef<HTMLOListElement>('box');
/** A live run is drawn anew with every announcement of it, which carries its bytes. */
const elapsedMs = computed(() => (props.run.endedAt ?? Date.now()) - props.run.startedAt);
const live = computed(() => isLive(props.run));
/** Its steps are things of their own, of which one may fail and the others not. */
const isBatch = computed(() => props.run.steps.some(({ app }) => app));
onMounted(() => void runs.loadLog(props.run.id).catch(announceError));

/** Follows the log while its end is in view. */
watch(
  () => log.value.length,
  async () => {
    const list = box.value;
    if (!list) return;
    const atEnd = list.scrollHeight - list.scrollTop - list.clientHeight < 40;
    await nextTick();
    if (atEnd) list.scrollTop = list.scrollHeight;
  },
);
</script>

<template>
  <article>
    <RouterLink to="/runs" class="back">Runs</RouterLink>
    <h1>{{ run.title }}</h1>
    <p class="soft">
      {{ exactTime(run.startedAt)
      }}<template v-if="run.endedAt"> · {{ durationText(run.endedAt - run.startedAt) }}</template>
      <template v-if="run.by"> · by {{ run.by }}</template>
      <template v-if="run.bytes > 0">
        · {{ sizeText(run.doneBytes) }} of {{ sizeText(run.bytes) }} · {{ sizeText(run.bytesPerSecond) }}/s
        {{ live ? 'now' : 'on average' }}
      </template>
      <template v-if="live && run.leftMs !== undefined"> · {{ aboutText(run.leftMs) }} left</template>
    </p>
    <p v-if="run.outcome" class="outcome" :class="run.state">{{ run.outcome }}</p>
    <p v-if="run.waitingFor" class="outcome waiting">{{ run.waitingFor }} The run then goes on by itself.</p>
    <div v-if="live" class="live">
      <ProgressLine :done="run.doneBytes" :whole="run.bytes" name="The whole run" />
      <RunButtons :run="run" size="small" />
    </div>
    <div v-else-if="run.canResume"><RunButtons :run="run" size="small" /></div>
    <RouterLink v-if="run.setId" :to="{ name: 'set', params: { id: run.setId } }">Open the set</RouterLink>
    <ProofTable v-if="run.hasProof" :run-id="run.id" />
    <BatchTable v-if="isBatch" :run="run" />
    <section v-if="run.speeds.length > 1">
      <h2>Speed</h2>
      <ThroughputChart :speeds="run.speeds" :elapsed-ms="elapsedMs" />
    </section>
    <section>
      <h2>Log</h2>
      <ol ref="box" class="log" tabindex="0" aria-label="Log">
        <li v-for="line in log" :key="line.seq" :class="line.level">
          <time>{{ clockTime(line.at) }}</time> {{ line.text }}
        </li>
      </ol>
    </section>
  </article>
</template>

<style scoped>
article {
  display: grid;
  gap: 10px;
}

.back {
  font-size: 13px;
}

h1 {
  font-size: 20px;
  line-height: 1.25;
}

h2 {
  margin-bottom: 4px;
  font-size: 15px;
}

.outcome {
  padding: 8px 10px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.failed,
.interrupted {
  border-color: var(--beetroot-rule);
  background: var(--beetroot-tint);
}

.live {
  display: grid;
  grid-template-columns: 1fr auto;
  align-items: center;
  gap: 12px;
}

.log {
  max-height: 380px;
  overflow-y: auto;
  padding: 8px 10px;
  border: 1px solid var(--rule);
  background: var(--card);
  font: 12.5px/1.55 var(--mono);
}

.log time {
  color: var(--ink-soft);
}

.log .warning {
  color: var(--quince);
}

.log .error {
  color: var(--beetroot);
}

.log li {
  overflow-wrap: anywhere;
}
</style>
