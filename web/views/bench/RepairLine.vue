<script setup lang="ts">
import { ElButton } from 'element-plus';
import { CheckIcon, CircleDashed, OctagonX } from 'lucide-vue-next';
import { computed } from 'vue';
import type { RepairView } from '@keen-larder/contract/rescue.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import RoleStrip from '../../parts/roles/RoleStrip.vue';

/** One repair: what it writes, from where, and what would come of it. */
const props = defineProps<{ repair: RepairView; isChosen: boolean; hasFault: boolean }>();
const emit = defineEmits<{ choose: [] }>();

const icons = { mends: CheckIcon, 'may-mend': CircleDashed, 'does-not': OctagonX } as const;
const outcome = computed(() => {
  const { outcome, forecast } = props.repair;
  if (!props.hasFault && outcome === 'mends') return 'It would start.';
  if (outcome === 'mends') return 'Repairs it.';
  if (outcome === 'may-mend') return forecast ? 'May repair it.' : 'May repair it; this mode cannot tell.';
  return forecast && forecast.result !== 'starts' && forecast.result !== 'warns'
    ? `Does not repair it: ${forecast.reason}.`
    : 'Does not repair it.';
});
</script>

<template>
  <li
    :class="[repair.outcome, { smallest: repair.isSmallest, chosen: isChosen }]"
    :data-repair="repair.id"
    :data-smallest="repair.isSmallest"
  >
    <component :is="icons[repair.outcome]" :size="16" aria-hidden="true" />
    <div class="what">
      <strong>{{ repair.title }}</strong><span v-if="repair.isSmallest" class="mark">the smallest</span>
      <p class="soft">{{ repair.sentence }}</p>
      <RoleStrip v-if="repair.images.length" :strip="repair.images" class="strip" />
      <p class="soft small">
        <span class="outcome">{{ outcome }}</span>
        <template v-if="repair.label"> From “{{ repair.label }}”.</template>
      </p>
    </div>
    <div class="cost">
      <span>{{ repair.bytes ? sizeText(repair.bytes) : 'nothing to write' }}</span>
      <span :class="{ wipes: repair.wipes }">{{
        repair.wipes ? 'replaces user data' : 'user data stays'
      }}</span>
      <ElButton
        size="small"
        :type="repair.isSmallest ? 'primary' : 'default'"
        :aria-pressed="isChosen"
        :aria-label="`${isChosen ? 'In the tray' : 'Plan it'}: ${repair.title}`"
        @click="emit('choose')"
        >{{ isChosen ? 'In the tray' : 'Plan it' }}</ElButton
      >
    </div>
  </li>
</template>

<style scoped>
li {
  display: grid;
  grid-template-columns: 16px 1fr auto;
  gap: 10px;
  padding: 8px 12px;
  border: 1px solid var(--rule);
  border-left-width: 3px;
  background: var(--card);
}

li + li {
  border-top: 0;
}

.smallest {
  border-left-color: var(--action);
}

.chosen {
  background: var(--action-tint);
}

.mends > svg {
  color: var(--action);
}

.may-mend > svg {
  color: var(--slate);
}

.does-not > svg,
.does-not strong {
  color: var(--ink-soft);
}

.mark {
  margin-left: 8px;
  color: var(--action);
  font-size: 13px;
  font-weight: 600;
}

.what {
  min-width: 0;
  font-size: 14px;
}

.small {
  font-size: 12.5px;
}

.strip {
  max-width: 260px;
  margin: 4px 0;
}

.mends .outcome {
  color: var(--action);
  font-weight: 600;
}

.cost {
  display: grid;
  justify-items: end;
  align-content: start;
  gap: 3px;
  font-size: 13px;
  white-space: nowrap;
}

.wipes {
  color: var(--quince);
  font-weight: 600;
}
</style>
