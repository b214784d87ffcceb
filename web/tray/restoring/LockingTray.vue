<script setup lang="ts">
import { computed } from 'vue';
import { armingText } from '@keen-larder/core/runsheet/arming.ts';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { api } from '../../api/client.ts';
import { usePicks } from '../../state/picks.ts';
import RunFrame from '../RunFrame.vue';
import { useTrayRun } from '../tray-run.ts';

/** Locking or unlocking a bootloader: whichever it is not. */
const props = defineProps<{ phone: PhoneView }>();
const store = usePicks();
const picks = computed(() => store.forLocking(props.phone.serial));
/** A phone that does not say is taken for unlocked: locking is what is checked most. */
const lock = computed(() => props.phone.facts?.condition.bootloaderUnlocked !== false);
const word = computed(() => (lock.value ? 'Lock' : 'Unlock'));

const { sheet, run } = useTrayRun({
  picks: () => picks.value,
  serial: () => props.phone.serial,
  sources: [lock, () => props.phone.facts, () => props.phone.presence],
  compute: (signal) =>
    props.phone.presence === 'here'
      ? api.lockingSheet(props.phone.serial, { lock: lock.value }, signal)
      : undefined,
  isReady: () => picks.value.armedWith === armingText(props.phone.serial),
  async begin(seen) {
    const { confirmed, armedWith } = picks.value;
    const run = await api.startLocking(props.phone.serial, { lock: lock.value, confirmed, seen, armedWith });
    picks.value.armedWith = '';
    picks.value.confirmed = [];
    return run;
  },
});
</script>

<template>
  <RunFrame
    :title="`Tray · ${word.toLowerCase()} the bootloader of ${phone.nickname}`"
    :run="run"
    :picks="picks"
    :arms="phone.serial"
    :go="`${word} and wipe user data`"
    @arm="(typed) => (picks.armedWith = typed)"
  >
    <ol v-if="sheet" class="steps">
      <li v-for="step in sheet.steps" :key="step.text">{{ step.text }}</li>
    </ol>
    <template #below>
      <p v-if="phone.presence !== 'here'" class="soft" role="status">
        {{ phone.nickname }} does not answer now.
      </p>
    </template>
  </RunFrame>
</template>

<style scoped>
.steps li {
  padding: 4px 2px;
  border-bottom: 1px solid var(--rule);
  font-size: 13px;
}
</style>
