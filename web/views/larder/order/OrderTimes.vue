<script setup lang="ts">
import { ElCheckbox, ElInputNumber, ElOption, ElSelect } from 'element-plus';
import { shallowRef } from 'vue';
import type { OrderSchedule } from '@keen-larder/contract/order.ts';
import { mostDueDays } from '@keen-larder/core/larder/due.ts';
import { orderRhythms, type OrderRhythm } from '@keen-larder/core/larder/order-schedule.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import { useDesktop } from '../../../state/notices/desktop.ts';
import { useLarder } from '../../../state/larder.ts';
import { announceError } from '../../../state/notices/notices.ts';

/** When the rules are carried out by themselves, and when a phone is due. */
const larder = useLarder();
const desktop = useDesktop();
const schedule = shallowRef<OrderSchedule>();
const take = (found: OrderSchedule) => void (schedule.value = found);
void api.orderSchedule().then(take, announceError);

const change = (rhythm: OrderRhythm) => api.changeSchedule({ rhythm }).then(take, announceError);
const changeDue = (days: number) => api.changeDue({ days }).then(() => larder.load(), announceError);

const words: Readonly<Record<OrderRhythm, string>> = {
  never: 'by hand only',
  day: 'every night',
  week: 'every Monday',
  month: 'on the first of the month',
};
</script>

<template>
  <div class="times">
    <p v-if="schedule">
      The rules are carried out
      <ElSelect
        :model-value="schedule.rhythm"
        size="small"
        class="rhythm"
        aria-label="When the rules are carried out"
        @change="change"
      >
        <ElOption v-for="rhythm in orderRhythms" :key="rhythm" :value="rhythm" :label="words[rhythm]" />
      </ElSelect>
      <template v-if="schedule.nextAt"
        >, next on {{ exactTime(schedule.nextAt) }}: what would go then goes into the bin. Pin what is to
        stay.</template
      >
    </p>
    <p v-if="larder.shelf">
      A phone is due when it was not kept for
      <ElInputNumber
        :model-value="larder.shelf.dueDays"
        :min="1"
        :max="mostDueDays"
        size="small"
        aria-label="Days until a phone is due"
        @change="(value) => value !== undefined && changeDue(value)"
      />
      days, or when its firmware changed since. The rail says so.
    </p>
    <ElCheckbox
      v-if="desktop.isThere"
      :model-value="desktop.wantsDue"
      @update:model-value="(is) => desktop.want('due', Boolean(is))"
      >Tell me on the desktop when a phone that is due comes onto the bench</ElCheckbox
    >
  </div>
</template>

<style scoped>
.times {
  display: grid;
  gap: 6px;
  justify-items: start;
}

.times p {
  margin: 0;
}

.times .el-input-number {
  width: 92px;
}

.rhythm {
  width: 190px;
}
</style>
