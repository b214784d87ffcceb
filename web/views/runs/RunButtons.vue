<script setup lang="ts">
import { ElButton } from 'element-plus';
import { CirclePlay, Pause, X } from 'lucide-vue-next';
import { computed } from 'vue';
import { isLive, type RunView } from '@keen-larder/contract/runs.ts';
import { api } from '../../api/client.ts';
import { useBench } from '../../state/bench.ts';
import { announceError } from '../../state/notices/notices.ts';
import { useRuns } from '../../state/runs.ts';

/** Hold a run up, let it go on, end it, or take up one that did not end. */
const props = defineProps<{ run: RunView; size?: 'small' | 'large' }>();
const bench = useBench();
const runs = useRuns();
const live = computed(() => isLive(props.run));
const isHere = computed(() => bench.phone(props.run.serial ?? '')?.presence === 'here');

const ask = (answer: Promise<RunView>) => answer.then((run) => void runs.take(run), announceError);
async function resume(): Promise<void> {
  try {
    const run = await api.resume(props.run.id);
    runs.take(run);
    runs.inTray = run.id;
    await runs.load();
  } catch (failure) {
    announceError(failure);
  }
}
</script>

<template>
  <template v-if="live">
    <ElButton
      v-if="run.canPause && run.state === 'paused'"
      :size="size"
      type="primary"
      @click="ask(api.continue(run.id))"
    >
      <CirclePlay :size="15" aria-hidden="true" />&nbsp;Go on
    </ElButton>
    <ElButton
      v-else-if="run.canPause && run.state === 'running'"
      :size="size"
      @click="ask(api.pause(run.id))"
    >
      <Pause :size="15" aria-hidden="true" />&nbsp;Pause
    </ElButton>
    <ElButton :size="size" @click="ask(api.cancel(run.id))">
      <X :size="15" aria-hidden="true" />&nbsp;Cancel this run
    </ElButton>
  </template>
  <ElButton
    v-else-if="run.canResume"
    :size="size"
    type="primary"
    :disabled="!isHere"
    :title="isHere ? 'Goes on from what is on the shelf' : 'Connect the phone first'"
    @click="resume"
  >
    <CirclePlay :size="15" aria-hidden="true" />&nbsp;Resume
  </ElButton>
</template>
