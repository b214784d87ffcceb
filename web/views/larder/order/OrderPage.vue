<script setup lang="ts">
import { ElButton, ElInputNumber, ElOption, ElSelect } from 'element-plus';
import { Pin, Trash2 } from 'lucide-vue-next';
import { computed, ref, shallowRef, watch } from 'vue';
import type { OrderedSet, OrderView } from '@keen-larder/contract/order.ts';
import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { mostMonths, mostNewest } from '@keen-larder/core/larder/keep-rules.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import { useLarder } from '../../../state/larder.ts';
import { announceError, useNotices } from '../../../state/notices/notices.ts';
import OrderTimes from './OrderTimes.vue';
import ReadingAgain from './ReadingAgain.vue';

/** What the rules for keeping say of each set. Nothing goes before it was shown here. */
const larder = useLarder();
const notices = useNotices();
const view = shallowRef<OrderView>();
const roomBytes = ref<number>();
const error = ref<string>();
const busy = ref(false);
/** Of whom the rules are shown; empty for all phones. */
const serial = ref('');
/** Ticked off: they stay this time. */
const spared = ref(new Set<string>());

async function load(): Promise<void> {
  try {
    view.value = await api.order();
    error.value = undefined;
    roomBytes.value = (await api.orderRoom()).bytes;
  } catch (failure) {
    error.value = (failure as Error).message;
  }
}
watch(() => larder.version, load, { immediate: true });

const phones = computed(() => [
  ...new Map((view.value?.sets ?? []).map((set) => [set.serial, set.nickname])),
]);
const own = computed(() => view.value?.exceptions.find((each) => each.serial === serial.value));
const rules = computed(() => own.value?.rules ?? view.value?.rules);
const going = computed(() => view.value?.sets.filter(({ reasons }) => reasons.length === 0) ?? []);
const staying = computed(() => view.value?.sets.filter(({ reasons }) => reasons.length > 0) ?? []);
const picked = computed(() => going.value.filter(({ id }) => !spared.value.has(id)));

async function change(over: Partial<{ newest: number; months: number }> | undefined): Promise<void> {
  try {
    view.value = await api.changeRules({
      ...(serial.value && { serial: serial.value }),
      ...(over && { rules: { ...rules.value!, ...over } }),
    });
    roomBytes.value = (await api.orderRoom()).bytes;
  } catch (failure) {
    announceError(failure);
  }
}

const pin = (set: OrderedSet, pinned: boolean) =>
  api.changeSet(set.id, { pinned }).then(() => larder.load(), announceError);

function toggle(id: string): void {
  const next = new Set(spared.value);
  if (!next.delete(id)) next.add(id);
  spared.value = next;
}

async function apply(): Promise<void> {
  const gone = picked.value;
  busy.value = true;
  try {
    view.value = await api.applyOrder({ ids: gone.map(({ id }) => id) });
    await larder.load();
  } catch (failure) {
    announceError(failure);
    return;
  } finally {
    busy.value = false;
  }
  const takeBack = async () => {
    for (const { id } of gone) await api.changeSet(id, { binned: false });
    await larder.load();
  };
  notices.say({
    kind: 'caution',
    title: `In the bin for ${binDays} days`,
    message: gone.length === 1 ? `“${gone[0]!.label}”` : `${gone.length} sets`,
    action: { text: 'Take them back', run: () => void takeBack().catch(announceError) },
  });
}
</script>

<template>
  <article class="page">
    <RouterLink to="/larder" class="back">Larder</RouterLink>
    <h1>Order</h1>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template v-if="view && rules">
      <form class="rules" aria-label="Rules" @submit.prevent>
        <label
          >Of
          <ElSelect v-model="serial" :empty-values="[undefined]" aria-label="Rules of" class="whose">
            <ElOption value="" label="every phone" />
            <ElOption v-for="[each, nickname] in phones" :key="each" :value="each" :label="nickname" />
          </ElSelect>
        </label>
        <label
          >keep the newest
          <ElInputNumber
            :model-value="rules.newest"
            :min="1"
            :max="mostNewest"
            size="small"
            aria-label="Newest sets"
            @change="(value) => value !== undefined && change({ newest: value })"
          />
          sets</label
        >
        <label
          >and one a month for
          <ElInputNumber
            :model-value="rules.months"
            :min="0"
            :max="mostMonths"
            size="small"
            aria-label="Months"
            @change="(value) => value !== undefined && change({ months: value })"
          />
          months.</label
        >
        <ElButton v-if="own" size="small" @click="change(undefined)">As for every phone</ElButton>
        <p class="soft">
          What is pinned, what came as files, the last verified set of each phone and the last image of each
          identity partition always stay.
        </p>
      </form>
      <OrderTimes />
      <section aria-label="What would go">
        <h2>
          {{
            going.length === 0 ? 'Nothing would go' : `${going.length} of ${view.sets.length} sets would go`
          }}
          <span v-if="going.length && roomBytes !== undefined" class="soft"
            >{{ sizeText(roomBytes) }} on the shelf, once they have left the bin</span
          >
        </h2>
        <table v-if="going.length">
          <tbody>
            <tr v-for="set in going" :key="set.id">
              <td class="tick">
                <label>
                  <input
                    type="checkbox"
                    :checked="!spared.has(set.id)"
                    :aria-label="`Let ${set.label} go`"
                    @change="toggle(set.id)"
                  />
                </label>
              </td>
              <td>
                <RouterLink :to="{ name: 'set', params: { id: set.id } }">{{ set.label }}</RouterLink>
                <span class="of">{{ set.nickname }} · {{ exactTime(set.createdAt) }}</span>
              </td>
              <td class="number">{{ sizeText(set.bytes) }}</td>
              <td class="number">
                <ElButton size="small" @click="pin(set, true)"
                  ><Pin :size="14" aria-hidden="true" />&nbsp;Pin</ElButton
                >
              </td>
            </tr>
          </tbody>
        </table>
        <ElButton v-if="going.length" type="primary" :disabled="picked.length === 0 || busy" @click="apply"
          ><Trash2 :size="15" aria-hidden="true" />&nbsp;Put {{ picked.length }}
          {{ picked.length === 1 ? 'set' : 'sets' }} into the bin</ElButton
        >
      </section>
      <ReadingAgain />
      <section v-if="staying.length" aria-label="What stays">
        <h2>{{ staying.length }} {{ staying.length === 1 ? 'stays' : 'stay' }}</h2>
        <table>
          <tbody>
            <tr v-for="set in staying" :key="set.id">
              <td>
                <RouterLink :to="{ name: 'set', params: { id: set.id } }">{{ set.label }}</RouterLink>
                <span class="of">{{ set.nickname }} · {{ exactTime(set.createdAt) }}</span>
              </td>
              <td>{{ set.reasons.join(', ') }}</td>
              <td class="number">
                <ElButton size="small" :aria-pressed="set.pinned" @click="pin(set, !set.pinned)"
                  ><Pin :size="14" aria-hidden="true" />&nbsp;{{
                    set.pinned ? 'Take the pin off' : 'Pin'
                  }}</ElButton
                >
              </td>
            </tr>
          </tbody>
        </table>
      </section>
    </template>
    <p v-else-if="!error" class="soft">Looking over the sets…</p>
  </article>
</template>

<style scoped>
h2 {
  font-size: 16px;
}

h2 .soft {
  font-weight: 400;
  font-size: 13px;
}

.rules {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 10px;
  align-items: center;
  padding: 10px 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.rules label {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}

.rules .el-input-number {
  width: 92px;
}

.rules p {
  flex-basis: 100%;
  font-size: 13px;
}

.whose {
  width: 160px;
}

section {
  display: grid;
  gap: 8px;
  justify-items: start;
  min-width: 0;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}

td {
  padding: 4px 8px;
  border-bottom: 1px solid var(--rule);
}

.of {
  display: block;
  white-space: nowrap;
  color: var(--ink-soft);
  font-size: 12px;
}

.tick {
  width: 30px;
}

.number {
  text-align: right;
  white-space: nowrap;
}
</style>
