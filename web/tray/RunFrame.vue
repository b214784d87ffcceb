<script setup lang="ts">
import { ElButton } from 'element-plus';
import CheckList from './CheckList.vue';
import ArmField from './ArmField.vue';
import FigureGrid from './FigureGrid.vue';
import TrayFrame from './TrayFrame.vue';
import type { RunInTray } from './tray-run.ts';

/** A tray that starts a run: what is to be done, its figures and checks, and the one button. */
defineProps<{
  title: string;
  run: RunInTray;
  picks: { readonly confirmed: readonly string[]; readonly armedWith?: string };
  figures?: InstanceType<typeof FigureGrid>['$props']['figures'];
  /** On the button. */
  go: string;
  hint?: string;
  /** Serial of the phone that the run is armed for; left out where it destroys nothing. */
  arms?: string | undefined;
}>();
const emit = defineEmits<{ arm: [typed: string] }>();
</script>

<template>
  <TrayFrame :title="title">
    <slot />
    <FigureGrid v-if="figures?.length" :figures="figures" />
    <slot name="options" />
    <CheckList
      v-if="run.sheet"
      :checks="run.sheet.checks"
      :confirmed="picks.confirmed"
      @mend="run.mend"
      @confirm="run.confirm"
    />
    <slot name="below" />
    <p v-if="run.error" class="error" role="alert">{{ run.error }}</p>
    <template #foot>
      <ArmField
        v-if="run.clear && arms"
        :model-value="picks.armedWith ?? ''"
        :serial="arms"
        @update:model-value="(typed) => emit('arm', typed)"
      />
      <ElButton
        type="primary"
        size="large"
        class="go"
        :disabled="!run.canStart"
        :loading="run.starting"
        @click="run.start"
        >{{ go }}</ElButton
      >
      <p v-if="hint" class="hint soft">{{ hint }}</p>
    </template>
  </TrayFrame>
</template>
