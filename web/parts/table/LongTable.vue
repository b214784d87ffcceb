<script setup lang="ts" generic="Row">
import { useElementSize, useScroll } from '@vueuse/core';
import { ArrowDown, ArrowUp } from 'lucide-vue-next';
import { computed, useTemplateRef } from 'vue';
import { isFinger } from '../../look/pointer.ts';
import type { LongColumn } from './long-table.ts';

/**
 * A table of hundreds of rows, which can be picked where it is said which are: it scrolls by itself and draws what is in sight. Each column
 * has a slot of its key, which is given the row.
 */
const props = defineProps<{
  columns: readonly LongColumn[];
  rows: readonly Row[];
  idOf: (row: Row) => string;
  /** What the tick of a row is called by. */
  nameOf?: (row: Row) => string;
  picked?: readonly string[];
  /** The row that something else tells about. */
  shown?: string | undefined;
  order?: { readonly key: string; readonly descending: boolean };
  /** Instead of rows, where there is none. */
  empty: string;
}>();
const emit = defineEmits<{
  pick: [ids: string[], isPicked: boolean];
  sort: [key: string, descending: boolean];
}>();
defineSlots<Record<string, (scope: { row: Row }) => unknown>>();

const rowPx = computed(() => (isFinger.value ? 48 : 42));
const headPx = computed(() => (isFinger.value ? 46 : 34));
/** Rows drawn above and below what is in sight. */
const beyond = 3;
const leastPx = 300;

const scroller = useTemplateRef<HTMLElement>('scroller');
const { height } = useElementSize(scroller);
const { y } = useScroll(scroller);
const tracks = computed(() =>
  [
    ...(props.picked ? [isFinger.value ? '46px' : '38px'] : []),
    ...props.columns.map(({ width }) => width),
  ].join(' '),
);
const count = computed(() => Math.ceil(Math.max(height.value, leastPx) / rowPx.value) + 2 * beyond);
const first = computed(() =>
  Math.max(0, Math.min(Math.floor(y.value / rowPx.value) - beyond, props.rows.length - count.value)),
);
const pickedIds = computed(() => new Set(props.picked ?? []));
const ids = computed(() => props.rows.map(props.idOf));
const pickedHere = computed(() => ids.value.reduce((sum, id) => sum + (pickedIds.value.has(id) ? 1 : 0), 0));
/** A row is drawn where the one of its place was: what a filter leaves is written over what was there. */
const drawn = computed(() =>
  props.rows.slice(first.value, first.value + count.value).map((row, i) => ({
    row,
    id: ids.value[first.value + i]!,
    place: (first.value + i) % count.value,
    index: first.value + i,
  })),
);

const sorting = ({ key }: LongColumn) =>
  props.order?.key !== key ? 'none' : props.order.descending ? 'descending' : 'ascending';
const sort = (column: LongColumn) => emit('sort', column.key, sorting(column) === 'ascending');
const isTicked = (event: Event) => (event.target as HTMLInputElement).checked;

/** With Shift a tick is for all rows from the one that was ticked before. */
const ticking = { withShift: false };
let before: string | undefined;
function tick(id: string, isPicked: boolean): void {
  const from = ticking.withShift && before !== undefined ? ids.value.indexOf(before) : -1;
  const to = ids.value.indexOf(id);
  const some = from < 0 ? [id] : ids.value.slice(Math.min(from, to), Math.max(from, to) + 1);
  before = id;
  emit('pick', some, isPicked);
}
</script>

<template>
  <div
    ref="scroller"
    class="scroller"
    role="table"
    :aria-rowcount="rows.length + 1"
    :style="{
      '--tracks': tracks,
      '--row': `${rowPx}px`,
      '--head': `${headPx}px`,
      height: `min(100%, ${headPx + Math.max(rows.length, 2) * rowPx}px)`,
    }"
  >
    <div class="row head" role="row">
      <label v-if="picked" class="tick" role="columnheader">
        <input
          type="checkbox"
          aria-label="Pick all that are shown"
          :disabled="rows.length === 0"
          :checked="pickedHere > 0 && pickedHere === rows.length"
          :indeterminate="pickedHere > 0 && pickedHere < rows.length"
          @change="emit('pick', ids, isTicked($event))"
        />
      </label>
      <span
        v-for="column in columns"
        :key="column.key"
        role="columnheader"
        :class="column.align"
        :aria-sort="column.sortable ? sorting(column) : undefined"
      >
        <button v-if="column.sortable" type="button" @click="sort(column)">
          {{ column.title }}
          <ArrowUp v-if="sorting(column) === 'ascending'" :size="13" aria-hidden="true" />
          <ArrowDown v-else-if="sorting(column) === 'descending'" :size="13" aria-hidden="true" />
        </button>
        <template v-else>{{ column.title }}</template>
      </span>
    </div>
    <p v-if="rows.length === 0" class="soft none">{{ empty }}</p>
    <div class="body" role="rowgroup" :style="{ height: `${rows.length * rowPx}px` }">
      <div
        v-for="{ row, id, place, index } in drawn"
        :key="place"
        class="row"
        role="row"
        :aria-rowindex="index + 2"
        :class="{ picked: pickedIds.has(id), shown: id === shown }"
        :style="{ transform: `translateY(${index * rowPx}px)` }"
      >
        <label v-if="picked" class="tick" role="cell">
          <!-- Its own in each row: what has the focus must not become the tick of another one. -->
          <input
            :key="id"
            type="checkbox"
            :aria-label="`Pick ${nameOf?.(row) ?? id}`"
            :checked="pickedIds.has(id)"
            @click="ticking.withShift = $event.shiftKey"
            @change="tick(id, isTicked($event))"
          />
        </label>
        <span v-for="column in columns" :key="column.key" role="cell" :class="column.align">
          <slot :name="column.key" :row="row" />
        </span>
      </div>
    </div>
  </div>
</template>

<style scoped>
.scroller {
  overflow: hidden auto;
  background: var(--card);
  contain: strict;
}

.row {
  display: grid;
  grid-template-columns: var(--tracks);
  align-items: center;
  height: var(--row);
  border-bottom: 1px solid var(--rule);
}

.head {
  position: sticky;
  top: 0;
  z-index: 1;
  height: var(--head);
  background: var(--paper);
  color: var(--ink-soft);
  font-size: 13px;
  font-weight: 700;
}

.body {
  position: relative;
}

.body > .row {
  position: absolute;
  inset: 0 0 auto;
  contain: strict;
}

.body > .row:hover {
  background: var(--panel);
}

.row > * {
  min-width: 0;
  padding: 0 8px;
  overflow: hidden;
  text-overflow: ellipsis;
}

.row > .right {
  text-align: right;
}

.head button {
  display: inline-flex;
  align-items: center;
  gap: 4px;
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.head button:hover {
  color: var(--ink);
}

.tick {
  display: grid;
  align-self: stretch;
  place-items: center;
  cursor: pointer;
}

.tick input {
  width: 15px;
  height: 15px;
  margin: 0;
  accent-color: var(--action);
  cursor: inherit;
}

.body > .picked,
.body > .picked:hover {
  background: var(--action-tint);
}

.body > .shown {
  box-shadow: inset 3px 0 var(--action);
}

.none {
  padding: 20px;
  text-align: center;
}
</style>
