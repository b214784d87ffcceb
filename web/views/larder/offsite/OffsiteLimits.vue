<script setup lang="ts">
import { ElInputNumber, ElSwitch } from 'element-plus';
import { computed } from 'vue';
import type { OffsiteView } from '@keen-larder/contract/larder/offsite.ts';
import { api } from '../../../api/client.ts';
import { announceError } from '../../../state/notices/notices.ts';

/** How fast and when the copy goes on by itself. */
const props = defineProps<{ view: OffsiteView }>();
const emit = defineEmits<{ changed: [view: OffsiteView] }>();
const MiB = 1 << 20;
const usualHours: [number, number] = [20, 7];
const rate = computed(() => (props.view.bytesPerSecond ?? 0) / MiB);
const hours = computed(() => props.view.hours);

function change(over: { readonly rate?: number; readonly hours?: readonly [number, number] | null }): void {
  const bytesPerSecond = Math.round((over.rate ?? rate.value) * MiB);
  const next = over.hours === null ? undefined : (over.hours ?? hours.value);
  api
    .limitOffsite(props.view.copy, {
      ...(bytesPerSecond && { bytesPerSecond }),
      ...(next && { hours: [...next] }),
    })
    .then((view) => emit('changed', view), announceError);
}
</script>

<template>
  <section aria-label="Limits">
    <label>
      At most
      <ElInputNumber
        :model-value="rate"
        :min="0"
        :max="1000"
        size="small"
        aria-label="MiB a second"
        @change="(value) => change({ rate: value ?? 0 })"
      />
      MiB a second <span class="soft">{{ rate === 0 ? '(no limit)' : '' }}</span>
    </label>
    <label>
      <ElSwitch
        :model-value="hours !== undefined"
        size="small"
        aria-label="Only at some hours"
        @change="(value) => change({ hours: value === true ? usualHours : null })"
      />
      By itself only at some hours
    </label>
    <label v-if="hours">
      from
      <ElInputNumber
        :model-value="hours[0]"
        :min="0"
        :max="23"
        size="small"
        aria-label="From"
        @change="(value) => change({ hours: [value ?? 0, hours![1]] })"
      />
      to
      <ElInputNumber
        :model-value="hours[1]"
        :min="0"
        :max="24"
        size="small"
        aria-label="To"
        @change="(value) => change({ hours: [hours![0], value ?? 24] })"
      />
      o’clock
    </label>
  </section>
</template>

<style scoped>
section {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 18px;
  padding: 10px 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

label {
  display: inline-flex;
  gap: 8px;
  align-items: center;
  font-size: 14px;
}

.el-input-number {
  width: 92px;
}
</style>
