<script setup lang="ts">
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { useIntersectionObserver } from '@vueuse/core';
import { computed, ref, useTemplateRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../api/client.ts';
import { Import } from 'lucide-vue-next';
import EmptyState from '../../parts/EmptyState.vue';
import AloneSets from './offsite/AloneSets.vue';
import LarderAxis from './LarderAxis.vue';
import PickedSets from './PickedSets.vue';
import PaperLabel from '../../parts/PaperLabel.vue';
import { useImports } from '../../state/imports.ts';
import { useLarder } from '../../state/larder.ts';
import { announceError } from '../../state/notices/notices.ts';

const larder = useLarder();
const imports = useImports();
const route = useRoute();
const router = useRouter();
const words = ref('');
const serial = ref('');
const binShown = ref(false);
/** The stretch of time that was chosen on the axis. */
const range = ref<readonly [number, number]>();

const phones = computed(() => [
  ...new Map(larder.all.flatMap((set) => (set.firmware ? [] : [[set.serial, set.nickname] as const]))),
]);
const source = computed(() => (binShown.value ? larder.binned : larder.ofPhones));
const shown = computed(() => {
  const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
  return source.value.filter(
    (set) =>
      (!serial.value || set.serial === serial.value) &&
      (!range.value || (set.createdAt >= range.value[0] && set.createdAt <= range.value[1])) &&
      wanted.every((word) => textOf(set).includes(word)),
  );
});
/** Labels that are drawn: more of them as one comes to the end. */
const step = 120;
const drawn = ref(step);
watch([words, serial, binShown, range], () => (drawn.value = step));
const end = useTemplateRef('end');
useIntersectionObserver(
  end,
  ([entry]) => {
    if (entry?.isIntersecting) drawn.value += step;
  },
  { rootMargin: '600px' },
);
/** Ids of the sets that are picked together; undefined while one opens a set by clicking on it. */
const picked = ref<ReadonlySet<string>>();
const pickedSets = computed(() => larder.sets.filter(({ id }) => picked.value?.has(id)));
watch(binShown, () => (picked.value = undefined));
function pick(id: string): void {
  const next = new Set(picked.value);
  if (!next.delete(id)) next.add(id);
  picked.value = next;
}
/** While several are picked, a click on a name picks as well. */
function pickInstead(event: Event, id: string): void {
  if (!picked.value || (event.target as Element).matches('input')) return;
  event.preventDefault();
  event.stopPropagation();
  pick(id);
}
const hidden = computed(() => source.value.length - shown.value.length);
const selected = computed(() => String(route.query['set'] ?? ''));

const textOf = (set: SetView) =>
  [set.label, set.note, set.nickname, set.serial, set.model, set.condition.build, set.fingerprint]
    .join(' ')
    .toLowerCase();

/** A link leads away by itself; nothing else may send one elsewhere meanwhile. */
function selectUnlessLink(event: Event, id: string): void {
  if (!picked.value && !(event.target as Element).closest('a')) select(id);
}
function select(id: string): void {
  void router.replace({ query: selected.value === id ? {} : { set: id } });
}

function clear(): void {
  words.value = '';
  serial.value = '';
  range.value = undefined;
}

const takeOut = (id: string) => api.changeSet(id, { binned: false }).then(() => larder.load(), announceError);
const emptyBin = (atOnce: boolean) =>
  api.emptyBin({ atOnce }).then(() => {
    if (!atOnce) binShown.value = false;
    return larder.load();
  }, announceError);
</script>

<template>
  <header>
    <h1>Larder</h1>
    <p v-if="larder.shelf" class="soft">
      {{ larder.ofPhones.length }} {{ larder.ofPhones.length === 1 ? 'set' : 'sets' }} of {{ phones.length }}
      {{ phones.length === 1 ? 'phone' : 'phones' }} · shelf “{{ larder.shelf.name }}”:
      {{ sizeText(larder.shelf.imagedBytes) }} kept as {{ sizeText(larder.shelf.storedBytes)
      }}<template v-if="!larder.shelf.absence"> · {{ sizeText(larder.shelf.freeBytes) }} free</template>
    </p>
    <span class="elsewhere">
      <RouterLink to="/larder/find">Find</RouterLink>
      <RouterLink to="/larder/firmware"
        >Firmware{{ larder.firmware.length ? ` (${larder.firmware.length})` : '' }}</RouterLink
      >
      <RouterLink to="/larder/order">Order</RouterLink>
      <RouterLink to="/larder/off-site">Off-site</RouterLink>
      <RouterLink to="/larder/exports">Exports</RouterLink>
      <RouterLink to="/larder/seal">Seal</RouterLink>
      <RouterLink to="/larder/copies">Copies of apps and records</RouterLink>
    </span>
  </header>
  <div v-if="larder.all.length" class="filters">
    <ElInput
      v-model="words"
      data-filter
      placeholder="Name, phone, build, checksum…"
      clearable
      aria-label="Filter the sets"
      class="words"
    />
    <ElSelect
      v-if="phones.length > 1"
      v-model="serial"
      placeholder="any phone"
      clearable
      aria-label="Phone"
      class="phone"
    >
      <ElOption v-for="[each, nickname] in phones" :key="each" :value="each" :label="nickname" />
    </ElSelect>
    <span v-if="hidden" class="hidden">
      {{ shown.length }} of {{ source.length }}: {{ hidden }} hidden by the filter ·
      <a href="#" @click.prevent="clear">show all</a>
    </span>
    <span class="end">
      <RouterLink to="/larder/import" class="el-button el-button--small import">
        <Import :size="15" aria-hidden="true" />&nbsp;Import{{
          imports.all.length ? ` (${imports.all.length} waiting)` : '…'
        }}
      </RouterLink>
      <ElButton
        v-if="!binShown && !picked && larder.ofPhones.length > 1"
        size="small"
        @click="picked = new Set()"
        >Pick several</ElButton
      >
      <ElButton
        v-if="larder.binned.length || larder.shelf?.freedBytes || binShown"
        size="small"
        :aria-pressed="binShown"
        @click="binShown = !binShown"
      >
        {{ binShown ? 'Back to the sets' : `Bin (${larder.binned.length})` }}
      </ElButton>
      <ElButton v-if="binShown && larder.binned.length" size="small" @click="emptyBin(false)"
        >Empty the bin now</ElButton
      >
    </span>
  </div>
  <LarderAxis
    v-if="larder.loaded && !binShown"
    v-model:range="range"
    :sets="larder.ofPhones"
    :serial="serial"
  />
  <p v-if="binShown" class="soft note">
    Sets in the bin are deleted for good {{ binDays }} days after they were put there. What they alone held
    lies aside for three more days, in case that was an error<template v-if="larder.shelf?.freedBytes"
      >: {{ sizeText(larder.shelf.freedBytes) }} now.
      <a href="#" @click.prevent="emptyBin(true)">Empty the bin, and give that room free at once</a></template
    ><template v-else>.</template>
  </p>
  <PickedSets
    v-if="picked"
    :picked="pickedSets"
    :shown="shown"
    @pick="(ids) => (picked = new Set(ids))"
    @end="picked = undefined"
  />
  <ul v-if="shown.length" class="cards" :class="{ picking: picked }">
    <li
      v-for="set in shown.slice(0, drawn)"
      :key="set.id"
      @click.capture="(event) => pickInstead(event, set.id)"
      @click="(event) => selectUnlessLink(event, set.id)"
    >
      <input
        v-if="picked"
        type="checkbox"
        class="tick"
        :checked="picked.has(set.id)"
        :aria-label="`Pick ${set.label}`"
        @change="pick(set.id)"
      />
      <PaperLabel :set="set" :selected="picked ? picked.has(set.id) : set.id === selected" />
      <ElButton v-if="binShown" size="small" class="out" @click.stop="takeOut(set.id)"
        >Take out of the bin</ElButton
      >
    </li>
  </ul>
  <p v-if="shown.length > drawn" ref="end" class="soft">{{ shown.length - drawn }} more below</p>
  <EmptyState v-if="!shown.length && larder.loaded && source.length" title="No set matches the filter">
    <a href="#" @click.prevent="clear">Show all {{ source.length }}</a>
  </EmptyState>
  <EmptyState
    v-else-if="!shown.length && larder.loaded"
    :title="binShown ? 'The bin is empty' : 'Nothing is kept yet'"
  >
    <template v-if="!binShown">
      Go to a phone on the <RouterLink to="/bench">bench</RouterLink>, pick its partitions and start imaging,
      or <RouterLink to="/larder/import">import</RouterLink> images that you have as files.
    </template>
  </EmptyState>
  <p v-else-if="!larder.loaded" class="soft">Opening the larder…</p>
  <AloneSets v-if="larder.loaded && !binShown" :serial="serial" />
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
  margin-bottom: 14px;
}

h1 {
  font-size: 24px;
}

.elsewhere {
  display: flex;
  gap: 16px;
  margin-left: auto;
  font-size: 13px;
}

.import {
  text-decoration: none;
}

.filters {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-bottom: 14px;
}

.words {
  width: 270px;
}

.phone {
  width: 160px;
}

.hidden {
  color: var(--quince);
  font-weight: 600;
}

.end {
  display: flex;
  gap: 8px;
  margin-left: auto;
}

.note {
  margin-bottom: 10px;
}

.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(214px, 1fr));
  gap: 12px;
}

.cards li {
  position: relative;
  display: grid;
  cursor: pointer;
}

.tick {
  position: absolute;
  top: 14px;
  right: 10px;
  width: 18px;
  height: 18px;
  accent-color: var(--action);
}

.picking :deep(h2) {
  padding-right: 28px;
}

.out {
  margin-top: 4px;
}
</style>
