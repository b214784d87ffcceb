<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus';
import { computed, shallowRef, watch } from 'vue';
import type { Put } from '@keen-larder/contract/requests/restoring.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { inSlot, isNeverWritten, splitSlot } from '@keen-larder/core/phone/roles.ts';
import { bundlesOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { api } from '../../api/client.ts';
import RoleStrip from '../../parts/roles/RoleStrip.vue';
import { useBench } from '../../state/bench.ts';
import { useLarder } from '../../state/larder.ts';
import { usePicks } from '../../state/picks.ts';
import PutBack from './PutBack.vue';

/** What is picked of a set, to go back onto a phone. */
const props = defineProps<{ setId: string }>();
const bench = useBench();
const larder = useLarder();
const store = usePicks();
const picks = computed(() => store.forSet(props.setId));

const set = shallowRef<SetDetail>();
watch(
  () => larder.version,
  async () => (set.value = await api.set(props.setId).catch(() => undefined)),
  { immediate: true },
);

const here = computed(() => bench.phones.filter(({ presence }) => presence !== 'away'));
/** The phone that the set was taken from, when it is here. */
const target = computed(() => {
  const chosen = here.value.find(({ serial }) => serial === picks.value.serial);
  return chosen ?? here.value.find(({ serial }) => serial === set.value?.serial) ?? here.value[0];
});

const bundles = computed(() => bundlesOf(set.value?.images ?? []));

/** Of the set again when it changed, so that the sheet is computed anew. */
const puts = computed(() =>
  set.value
    ? [
        ...picks.value.picked.map((partition) => ({ setId: props.setId, partition })),
        ...picks.value.others,
      ].map((put) => {
        const onto = inSlot(put.partition, picks.value.intoSlot);
        return onto === put.partition ? put : { ...put, onto };
      })
    : [],
);

const hasSlots = computed(() => puts.value.some(({ partition }) => splitSlot(partition).slot));
const slotChoices = [
  { value: 'own', label: 'Each into the slot it came from' },
  { value: 'a', label: 'All into slot a, which then starts' },
  { value: 'b', label: 'All into slot b, which then starts' },
];
function chooseSlot(slot: string): void {
  picks.value.intoSlot = slot === 'a' || slot === 'b' ? slot : undefined;
  picks.value.confirmed = [];
}

/** Images of other sets of the same model, asked for when somebody wants one. */
const offered = shallowRef<{ value: string; label: string; put: Put }[]>([]);
async function offer(isOpen: boolean): Promise<void> {
  const own = set.value;
  if (!isOpen || !own) return;
  const alike = larder.sets.filter(
    ({ id, maker, model, binnedAt }) =>
      id !== own.id && maker === own.maker && model === own.model && binnedAt === undefined,
  );
  const details = await Promise.all(alike.map(({ id }) => api.set(id).catch(() => undefined)));
  offered.value = details.flatMap((each) =>
    (each?.images ?? [])
      .filter(({ partition }) => !isNeverWritten(partition))
      .map(({ partition }) => ({
        value: `${each!.id} ${partition}`,
        label: `${partition} · ${each!.label}`,
        put: { setId: each!.id, partition },
      })),
  );
}
const labels = computed(() => new Map(larder.sets.map(({ id, label }) => [id, label])));
function addOther(value: string): void {
  const found = offered.value.find((each) => each.value === value);
  if (!found) return;
  const { put } = found;
  picks.value.others = [...picks.value.others.filter(({ partition }) => partition !== put.partition), put];
  picks.value.confirmed = [];
}
const strip = computed(() =>
  (set.value?.images ?? []).filter(({ partition }) => picks.value.picked.includes(partition)),
);
const count = computed(() => picks.value.picked.length);
</script>

<template>
  <PutBack
    v-if="set"
    :picks="picks"
    :phone="target"
    :puts="puts"
    :activate="hasSlots ? picks.intoSlot : undefined"
  >
    <div class="paper">
      <RoleStrip :strip="strip" />
      <div class="inside">
        <strong>{{ set.label }}</strong>
        <p class="soft">{{ count }} of {{ set.images.length }} images picked</p>
      </div>
    </div>
    <div class="bundles">
      <ElButton
        v-for="bundle in bundles"
        :key="bundle.name"
        size="small"
        @click="store.set(picks, bundle.picked)"
      >
        {{ bundle.name }}
      </ElButton>
      <ElButton v-if="count" size="small" text @click="store.set(picks, [])">None</ElButton>
    </div>
    <ul v-if="picks.others.length" class="others" aria-label="Of other sets">
      <li v-for="put in picks.others" :key="`${put.setId} ${put.partition}`">
        <span><code>{{ put.partition }}</code> from “{{ labels.get(put.setId) }}”</span>
        <ElButton
          size="small"
          text
          :aria-label="`Leave out ${put.partition}`"
          @click="store.leaveOut(picks, [put.partition])"
          >Leave out</ElButton
        >
      </li>
    </ul>
    <ElSelect
      model-value=""
      filterable
      size="small"
      placeholder="Add an image of another set"
      aria-label="Add an image of another set"
      @visible-change="offer"
      @update:model-value="addOther"
    >
      <ElOption v-for="each in offered" :key="each.value" :value="each.value" :label="each.label" />
    </ElSelect>
    <ElSelect
      v-if="hasSlots"
      :model-value="picks.intoSlot ?? 'own'"
      size="small"
      aria-label="Slot"
      @update:model-value="chooseSlot"
    >
      <ElOption v-for="each in slotChoices" :key="each.value" :value="each.value" :label="each.label" />
    </ElSelect>
    <ElSelect
      v-if="here.length > 1"
      :model-value="target?.serial"
      aria-label="Put back onto"
      @update:model-value="(serial: string) => (picks.serial = serial)"
    >
      <ElOption
        v-for="phone in here"
        :key="phone.serial"
        :value="phone.serial"
        :label="`${phone.nickname} · ${phone.serial}`"
      />
    </ElSelect>
  </PutBack>
</template>

<style scoped>
.inside {
  padding: 8px 12px 10px;
}

.inside strong {
  font-size: 15px;
}

.bundles {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}

.bundles .el-button {
  margin: 0;
}
.others {
  display: grid;
  gap: 2px;
  font-size: 13px;
}

.others li {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
}
</style>
