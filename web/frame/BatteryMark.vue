<script setup lang="ts">
import { BatteryCharging, BatteryFull, BatteryLow, BatteryMedium } from 'lucide-vue-next';
import { computed } from 'vue';
import type { Battery } from '@keen-larder/core/phone/facts.ts';
import { safePercent } from '@keen-larder/core/runsheet/run-sheets.ts';

const props = defineProps<{ battery: Battery | undefined }>();
const icon = computed(() => {
  if (!props.battery) return BatteryMedium;
  if (props.battery.charging) return BatteryCharging;
  return props.battery.percent >= 85 ? BatteryFull : props.battery.percent >= 40 ? BatteryMedium : BatteryLow;
});
const low = computed(() => props.battery && props.battery.percent < safePercent && !props.battery.charging);
const words = computed(() =>
  props.battery
    ? `Battery ${props.battery.percent} %, ${props.battery.charging ? 'charging' : 'not charging'}`
    : 'Battery unknown',
);
</script>

<template>
  <span class="battery" :class="{ low }" :title="words" :aria-label="words">
    <component :is="icon" :size="15" aria-hidden="true" />
    {{ battery ? `${battery.percent} %` : '?' }}
  </span>
</template>

<style scoped>
.battery {
  display: inline-flex;
  align-items: center;
  gap: 4px;
  color: var(--ink-soft);
  font-size: 12px;
  white-space: nowrap;
}

.low {
  color: var(--beetroot);
  font-weight: 700;
}
</style>
