<script setup lang="ts">
import { ElButton, ElCheckbox } from 'element-plus';
import { ArrowLeftRight } from 'lucide-vue-next';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute } from 'vue-router';
import type { ComparedPartition, ComparedSet, SetComparison } from '@keen-larder/contract/comparing.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { byRole } from '@keen-larder/core/phone/roles.ts';
import { api } from '../../../api/client.ts';
import { downloads } from '../../../api/addresses.ts';
import EmptyState from '../../../parts/EmptyState.vue';
import RoleBadge from '../../../parts/roles/RoleBadge.vue';
import { exactTime } from '../../../parts/time.ts';
import { announceError } from '../../../state/notices/notices.ts';
import { useRuns } from '../../../state/runs.ts';
import ComparedImages from './ComparedImages.vue';
import DifferenceStrip from './DifferenceStrip.vue';

/** Two sets, or a set and its phone, partition by partition; the partition that is looked into stands in the address. */
const props = defineProps<{ id: string; other: string }>();
const route = useRoute();
const comparison = shallowRef<SetComparison>();
const error = ref<string>();
const showsSame = ref(false);
const runs = useRuns();
/** Where the second side is a phone. */
const serial = computed(() => /^phone:(.+)$/.exec(props.other)?.[1]);
const isAsking = computed(() => serial.value !== undefined && runs.ofPhone(serial.value) !== undefined);
const chosen = computed(() => {
  const name = route.query['partition'];
  return comparison.value?.partitions.find(
    ({ partition, state }) => partition === name && state === 'differs',
  );
});

watch(
  // What the phone was asked for is known when its run has ended.
  () => [props.id, props.other, isAsking.value] as const,
  async ([id, other]) => {
    const isPast = () => id !== props.id || other !== props.other;
    try {
      const found = await api.compareSets(id, other);
      if (isPast()) return;
      comparison.value = found;
      error.value = undefined;
    } catch (failure) {
      if (isPast()) return;
      comparison.value = undefined;
      error.value = (failure as Error).message;
    }
  },
  { immediate: true },
);

const named = ({ role, partition }: ComparedPartition) => ({ role, name: partition });
const all = computed(() =>
  [...(comparison.value?.partitions ?? [])].sort((a, b) => byRole(named(a), named(b))),
);
const rows = computed(() => all.value.filter(({ state }) => showsSame.value || state !== 'same'));
const hasBlocks = computed(() => rows.value.some(({ strip }) => strip !== undefined));
const sameCount = computed(() => all.value.filter(({ state }) => state === 'same').length);
const words = computed(() => {
  const differing = all.value.filter(({ state }) => state === 'differs').length;
  const { before, after } = { before: only('only before'), after: only('only after') };
  return [
    unasked.value === all.value.length
      ? 'The phone was not asked yet'
      : differing === 0
        ? 'Nothing differs'
        : `${differing} of ${all.value.length} differ`,
    sameCount.value > 0 ? `${sameCount.value} ${sameCount.value === 1 ? 'is' : 'are'} the same` : '',
    unasked.value > 0 && unasked.value < all.value.length ? `${unasked.value} not asked for yet` : '',
    before > 0 ? `${before} ${serial.value ? 'the phone does not have' : 'only in the first'}` : '',
    after > 0 ? `${after} only in the second` : '',
  ]
    .filter(Boolean)
    .join(', ');
});
const unasked = computed(() => all.value.filter(({ state }) => state === 'unknown').length);

async function ask(): Promise<void> {
  try {
    runs.take(await api.compareWithSet(serial.value!, props.id));
  } catch (failure) {
    announceError(failure);
  }
}
const only = (state: ComparedPartition['state']) => all.value.filter((each) => each.state === state).length;

const stateWords = {
  same: 'the same',
  differs: 'differs',
  'only before': 'only in the first',
  'only after': 'only in the second',
  unknown: 'not asked yet',
} as const;
/** How much of it does, as far as its blocks tell. */
function shareOf({ differingBytes, before, after }: ComparedPartition): string {
  if (differingBytes === undefined) return '';
  const bytes = Math.max(before?.bytes ?? 0, after?.bytes ?? 0);
  const percent = (differingBytes / bytes) * 100;
  return `${sizeText(differingBytes)}, ${percent < 1 ? 'less than 1' : Math.round(percent)} %`;
}
const buildOf = ({ condition }: ComparedSet) => [condition.kind, condition.build].filter(Boolean).join(', ');
</script>

<template>
  <article v-if="comparison">
    <RouterLink :to="{ name: 'set', params: { id } }" class="back">{{ comparison.before.label }}</RouterLink>
    <header>
      <template v-for="(set, i) in [comparison.before, comparison.after]" :key="set.id">
        <RouterLink
          v-if="i === 1 && !serial"
          :to="{ name: 'compare', params: { id: other, other: id } }"
          class="turn"
          title="The other way round"
          ><ArrowLeftRight :size="16" role="img" aria-label="The other way round"
        /></RouterLink>
        <section class="paper">
          <h1>
            <RouterLink v-if="i === 1 && serial" :to="{ name: 'bench', params: { serial } }">{{
              set.label
            }}</RouterLink>
            <RouterLink v-else :to="{ name: 'set', params: { id: set.id } }">{{ set.label }}</RouterLink>
          </h1>
          <p>
            {{ i === 0 ? 'First' : 'Second' }} · {{ set.nickname }}
            <template v-if="i === 0 || !serial"> · {{ exactTime(set.createdAt) }}</template>
            <template v-else-if="unasked < all.length"> · asked {{ exactTime(set.createdAt) }}</template
            ><br />{{ buildOf(set) }}
          </p>
        </section>
      </template>
    </header>
    <p class="sum" role="status">
      {{ words }}.
      <ElCheckbox v-if="sameCount" v-model="showsSame">Show what is the same</ElCheckbox>
      <ElButton v-if="serial" :disabled="isAsking" :type="unasked ? 'primary' : 'default'" @click="ask">{{
        isAsking
          ? 'The phone digests its partitions…'
          : unasked === all.length
            ? 'Ask the phone'
            : 'Ask the phone again'
      }}</ElButton>
      <a v-if="unasked < all.length" :href="downloads.comparison(id, other)" download>Save as a page</a>
    </p>
    <table v-if="rows.length">
      <thead>
        <tr>
          <th>Image</th>
          <th>Role</th>
          <th>Result</th>
          <th class="number">First</th>
          <th class="number">Second</th>
          <template v-if="hasBlocks">
            <th>Blocks that differ</th>
            <th class="where">Where</th>
          </template>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.partition" :class="[row.state, { chosen: row === chosen }]">
          <td>
            <RouterLink
              v-if="row.state === 'differs'"
              :to="{ query: { partition: row.partition } }"
              :aria-expanded="row === chosen"
              ><code>{{ row.partition }}</code></RouterLink
            ><code v-else>{{ row.partition }}</code>
          </td>
          <td><RoleBadge :role="row.role" /></td>
          <td class="state">{{ stateWords[row.state] }}</td>
          <td class="number">{{ row.before ? sizeText(row.before.bytes) : '–' }}</td>
          <td class="number">{{ row.after ? sizeText(row.after.bytes) : '–' }}</td>
          <template v-if="hasBlocks">
            <td>{{ shareOf(row) }}</td>
            <td class="where">
              <DifferenceStrip v-if="row.strip" :strip="row.strip" :name="row.partition" />
            </td>
          </template>
        </tr>
      </tbody>
    </table>
    <ComparedImages
      v-if="chosen"
      :id="id"
      :key="`${id} ${other} ${chosen.partition}`"
      :other="other"
      :partition="chosen.partition"
      :role="chosen.role"
    />
    <p v-else-if="rows.some(({ state }) => state === 'differs')" class="soft">
      Choose an image that differs to see which files and facts do.
    </p>
  </article>
  <EmptyState v-else-if="error" title="These sets cannot be compared">
    {{ error }} <RouterLink to="/larder">Go to the larder</RouterLink>
  </EmptyState>
  <p v-else class="soft">Comparing…</p>
</template>

<style scoped src="./table.css"></style>

<style scoped>
article {
  display: grid;
  gap: 12px;
  min-width: 0;
}

.back {
  font-size: 13px;
}

header {
  display: grid;
  grid-template-columns: 1fr auto 1fr;
  gap: 10px;
}

header:not(:has(.turn)) {
  grid-template-columns: 1fr 1fr;
}

.paper {
  padding: 10px 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  min-width: 0;
}

h1 {
  font-size: 16px;
  line-height: 1.25;
  overflow-wrap: anywhere;
}

h1 a {
  color: inherit;
  text-decoration: none;
}

h1 a:hover {
  text-decoration: underline;
}

.paper p {
  color: var(--ink-soft);
  font-size: 13px;
}

.turn {
  display: grid;
  place-items: center;
  min-width: 28px;
  min-height: 28px;
}

@media (pointer: coarse) {
  .turn {
    min-width: 44px;
  }
}

.sum {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  align-items: center;
}

table {
  width: 100%;
}

th,
td {
  padding: 5px 8px;
  border-bottom: 1px solid var(--rule);
}

.number {
  text-align: right;
  white-space: nowrap;
  font-variant-numeric: tabular-nums;
}

.where {
  width: 26%;
}

.differs .state {
  font-weight: 600;
}

.same td {
  color: var(--ink-soft);
}

.chosen td {
  background: var(--action-tint);
}
</style>
