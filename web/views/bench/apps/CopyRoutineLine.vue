<script setup lang="ts">
import { ElSwitch } from 'element-plus';
import { ref, watch } from 'vue';
import type { CopyRoutine } from '@keen-larder/contract/copies.ts';
import { api } from '../../../api/client.ts';
import TimeText from '../../../parts/TimeText.vue';
import { announceError } from '../../../state/notices/notices.ts';

/** Whether what changed of a phone's apps is copied by itself, and what came of it last. */
const props = defineProps<{
  serial: string;
  /** Something happened with the phone: it is asked for again. */
  version: unknown;
}>();
const routine = ref<CopyRoutine>();

watch(
  () => [props.serial, props.version] as const,
  async ([serial]) => {
    try {
      const found = await api.copyRoutine(serial);
      if (serial === props.serial) routine.value = found;
    } catch {
      // What else is asked of the server on this page says so.
    }
  },
  { immediate: true },
);

async function turn(isOn: boolean): Promise<void> {
  try {
    routine.value = await api.turnCopyRoutine(props.serial, { isOn });
  } catch (failure) {
    announceError(failure);
  }
}
</script>

<template>
  <div v-if="routine" class="routine">
    <label>
      <ElSwitch
        size="small"
        :model-value="routine.isOn"
        aria-label="Copy what changed by itself"
        @update:model-value="(isOn) => turn(isOn === true)"
      />
      Copy what changed by itself, once a day while it is here and nobody works with it
    </label>
    <span v-if="routine.isOn" class="soft said">
      <template v-if="routine.said">
        <template v-if="routine.at"><TimeText :at="routine.at" />: </template>{{ routine.said }}
      </template>
      <template v-else>It begins two minutes after the phone has come.</template>
    </span>
  </div>
</template>

<style scoped>
.routine {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: center;
  font-size: 13px;
}

label {
  display: inline-flex;
  gap: 8px;
  align-items: center;
  cursor: pointer;
}

.said {
  min-width: 0;
  overflow-wrap: anywhere;
}
</style>
