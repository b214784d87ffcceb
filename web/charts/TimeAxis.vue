<script setup lang="ts">
import { useElementSize, useScroll } from '@vueuse/core';
import { scaleTime } from 'd3-scale';
import { computed, ref, useTemplateRef, watch } from 'vue';
import {
  lanesOf,
  marksBetween,
  wholeTime,
  zoomed,
  type AxisCondition,
  type AxisEvent,
  type AxisMark,
} from '@keen-larder/core/larder/time-axis.ts';
import { exactTime } from '../parts/time.ts';

/**
 * Time, a lane for each phone: its condition as a line, sets as jars, copies as rings, runs that changed it as strokes. Dragging
 * chooses a stretch of time, the wheel with Ctrl zooms, and the arrow keys go from mark to mark. Only what is in sight is drawn.
 */
const props = defineProps<{
  events: readonly AxisEvent[];
  conditions: readonly AxisCondition[];
  nameOf: (serial: string) => string;
  now: number;
  /** The stretch of time that was chosen. */
  chosen: readonly [number, number] | undefined;
}>();
const emit = defineEmits<{
  choose: [range: readonly [number, number] | undefined];
  open: [event: AxisEvent];
}>();

const lanePx = 30;
const namePx = 118;
const headPx = 20;
const mostLanes = 7;
/** Marks of a kind are at least so far apart. */
const leastPx = 13;

const box = useTemplateRef<HTMLDivElement>('box');
const scroller = useTemplateRef<HTMLDivElement>('scroller');
const { width } = useElementSize(box);
const { y } = useScroll(scroller);
const whole = computed(() => wholeTime(props.events, props.now));
const shown = ref<readonly [number, number]>(whole.value);
watch(whole, (now, before) => {
  if (shown.value[0] === before[0] && shown.value[1] === before[1]) shown.value = now;
});

const lanes = computed(() => lanesOf(props.events, props.conditions, props.now));
const plotPx = computed(() => Math.max(width.value - namePx - 12, 50));
const scale = computed(() => scaleTime().domain(shown.value).range([0, plotPx.value]));
const ticks = computed(() => {
  const format = scale.value.tickFormat(6);
  return scale.value.ticks(6).map((at) => {
    const x = scale.value(at);
    // Half of it would be cut off.
    return { x, text: x < plotPx.value - 22 ? format(at) : '' };
  });
});
const leastMs = computed(() => ((shown.value[1] - shown.value[0]) / plotPx.value) * leastPx);
const first = computed(() => Math.max(0, Math.floor(y.value / lanePx) - 1));
const drawn = computed(() =>
  lanes.value.slice(first.value, first.value + mostLanes + 3).map((lane, i) => ({
    serial: lane.serial,
    top: (first.value + i) * lanePx,
    spans: lane.spans.flatMap(({ kind, from, until }) => {
      const [x, end] = [Math.max(0, scale.value(from)), Math.min(plotPx.value, scale.value(until))];
      return end > x ? [{ kind, x, end }] : [];
    }),
    marks: marksOf(lane.events),
  })),
);
const marksOf = (events: readonly AxisEvent[]) =>
  marksBetween(events, shown.value[0], shown.value[1], leastMs.value).map((mark) => ({
    ...mark,
    x: scale.value((mark.from + mark.until) / 2),
  }));

/** The mark that the keys have come to. */
const at = ref<{ readonly lane: number; readonly mark: number }>();
const current = computed(() => {
  const lane = at.value && lanes.value[at.value.lane];
  const mark = lane && marksOf(lane.events)[at.value!.mark];
  return mark && { serial: lane.serial, mark };
});
const words = (serial: string, { kind, events, from, until }: AxisMark): string => {
  const names = { set: ['set', 'sets'], copy: ['copy', 'copies'], run: ['run', 'runs'] } as const;
  const what = events.length === 1 ? events[0]!.title : `${events.length} ${names[kind][1]}`;
  const when = from === until ? exactTime(from) : `${exactTime(from)} to ${exactTime(until)}`;
  return `${props.nameOf(serial)}: ${what}, ${when}`;
};

function choose(mark: AxisMark): void {
  const [only] = mark.events;
  if (mark.events.length === 1) emit('open', only!);
  else shown.value = zoomed([mark.from, mark.until + 1], (mark.from + mark.until) / 2, 1.4, whole.value);
}

function onKey(event: KeyboardEvent): void {
  const { lane, mark } = at.value ?? { lane: 0, mark: -1 };
  const marks = marksOf(lanes.value[lane]?.events ?? []);
  const to = (nextLane: number, nextMark: number) => {
    const events = lanes.value[nextLane]?.events;
    if (!events) return;
    at.value = { lane: nextLane, mark: Math.max(0, Math.min(nextMark, marksOf(events).length - 1)) };
    const top = nextLane * lanePx;
    if (top < y.value || top > y.value + (mostLanes - 1) * lanePx) y.value = top;
  };
  const middle = (shown.value[0] + shown.value[1]) / 2;
  const keys: Record<string, () => void> = {
    ArrowRight: () => to(lane, mark + 1),
    ArrowLeft: () => to(lane, mark - 1),
    ArrowDown: () => to(lane + 1, mark),
    ArrowUp: () => to(lane - 1, mark),
    Enter: () => marks[mark] && choose(marks[mark]),
    '+': () => zoom(middle, 0.6),
    '-': () => zoom(middle, 1 / 0.6),
    Escape: () => emit('choose', undefined),
  };
  const act = keys[event.key];
  if (!act) return;
  event.preventDefault();
  event.stopPropagation();
  act();
}

const zoom = (about: number, factor: number) =>
  (shown.value = zoomed(shown.value, about, factor, whole.value));
const timeAt = (event: MouseEvent) => {
  const left = box.value!.getBoundingClientRect().left + namePx;
  return scale.value.invert(Math.max(0, Math.min(event.clientX - left, plotPx.value))).getTime();
};
const onWheel = (event: WheelEvent) => {
  // Without Ctrl it scrolls, as everywhere.
  if (!event.ctrlKey) return;
  event.preventDefault();
  zoom(timeAt(event), event.deltaY > 0 ? 1.2 : 1 / 1.2);
};

const dragged = ref<readonly [number, number]>();
function begin(event: PointerEvent): void {
  if (event.button !== 0) return;
  const from = timeAt(event);
  const move = (next: PointerEvent) => {
    const until = timeAt(next);
    dragged.value = [Math.min(from, until), Math.max(from, until)];
  };
  const end = () => {
    removeEventListener('pointermove', move);
    removeEventListener('pointerup', end);
    const range = dragged.value;
    dragged.value = undefined;
    if (range && scale.value(range[1]) - scale.value(range[0]) > 4) emit('choose', range);
  };
  addEventListener('pointermove', move);
  addEventListener('pointerup', end);
}
const brush = computed(() => {
  const range = dragged.value ?? props.chosen;
  if (!range) return undefined;
  const [x, end] = range.map((each) => Math.max(0, Math.min(scale.value(each), plotPx.value)));
  return { left: namePx + x!, width: end! - x! };
});
</script>

<template>
  <section
    ref="box"
    class="axis"
    tabindex="0"
    role="group"
    aria-label="Time axis: arrow keys go from mark to mark, Enter opens, plus and minus zoom"
    @keydown="onKey"
    @wheel="onWheel"
  >
    <svg class="head" :height="headPx" :width="width" aria-hidden="true">
      <g v-for="tick in ticks" :key="tick.x" :transform="`translate(${namePx + tick.x},0)`">
        <text y="13">{{ tick.text }}</text>
      </g>
    </svg>
    <div ref="scroller" class="lanes" :style="{ maxHeight: `${mostLanes * lanePx}px` }" @pointerdown="begin">
      <svg :height="lanes.length * lanePx" :width="width">
        <line
          v-for="tick in ticks"
          :key="tick.x"
          class="tick"
          :x1="namePx + tick.x"
          :x2="namePx + tick.x"
          y1="0"
          :y2="lanes.length * lanePx"
        />
        <g v-for="lane in drawn" :key="lane.serial" :transform="`translate(0,${lane.top})`">
          <text class="name" x="0" y="19">{{ nameOf(lane.serial) }}</text>
          <g :transform="`translate(${namePx},0)`">
            <line
              v-for="span in lane.spans"
              :key="span.x"
              :class="['span', span.kind.replaceAll(' ', '-')]"
              :x1="span.x"
              :x2="span.end"
              y1="24"
              y2="24"
            >
              <title>{{ span.kind }}</title>
            </line>
            <g
              v-for="mark in lane.marks"
              :key="`${mark.kind} ${mark.from}`"
              :class="['mark', mark.kind, { current: current?.mark.events[0] === mark.events[0] }]"
              :transform="`translate(${mark.x},0)`"
              @pointerdown.stop
              @click="choose(mark)"
            >
              <title>{{ words(lane.serial, mark) }}</title>
              <template v-if="mark.kind === 'set'">
                <path d="M-4 6h8v-3h-8zM-5 8h10v10a2 2 0 0 1-2 2h-6a2 2 0 0 1-2-2z" />
                <text v-if="mark.events.length > 1" class="count" x="0" y="17">{{ mark.events.length }}</text>
              </template>
              <circle v-else-if="mark.kind === 'copy'" cx="0" cy="14" r="3.6" />
              <line v-else x1="0" x2="0" y1="4" y2="26" />
            </g>
          </g>
        </g>
      </svg>
    </div>
    <div v-if="brush" class="brush" :style="{ left: `${brush.left}px`, width: `${brush.width}px` }" />
    <p class="soft" role="status">
      <template v-if="current">{{ words(current.serial, current.mark) }}</template>
      <template v-else-if="chosen"
        >{{ exactTime(chosen[0]) }} to {{ exactTime(chosen[1]) }} ·
        <a href="#" @click.prevent="emit('choose', undefined)">all of time</a></template
      >
      <template v-else>Drag across it to choose a time; the wheel with Ctrl zooms.</template>
    </p>
  </section>
</template>

<style scoped>
.axis {
  position: relative;
  padding: 4px 6px 4px;
  margin-bottom: 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  user-select: none;
}

svg {
  display: block;
}

.head text {
  fill: var(--ink-soft);
  font: 11px var(--text);
  text-anchor: middle;
}

.lanes {
  overflow: hidden auto;
}

.tick {
  stroke: var(--rule);
}

.name {
  fill: var(--ink);
  font: 600 12.5px var(--text);
}

.span {
  stroke-width: 3;
  stroke: var(--rule-strong);
}

.span.stock {
  stroke: var(--slate);
}

.span.rooted {
  stroke: var(--quince);
  stroke-dasharray: 7 3;
}

.span.custom {
  stroke: var(--role-radio);
  stroke-dasharray: 2 3;
}

.span.not-starting {
  stroke: var(--beetroot);
  stroke-width: 5;
  stroke-dasharray: 3 3;
}

.mark {
  cursor: pointer;
}

.mark path {
  fill: var(--action);
}

.mark circle {
  fill: var(--card);
  stroke: var(--role-user-data);
  stroke-width: 1.8;
}

.mark line {
  stroke: var(--ink-soft);
  stroke-width: 1.6;
}

.mark .count {
  fill: var(--on-action);
  font: 700 8.5px var(--text);
  text-anchor: middle;
}

.current path,
.current circle,
.current line {
  outline: 2px solid var(--ink);
  outline-offset: 2px;
}

.brush {
  position: absolute;
  top: 24px;
  bottom: 26px;
  border: 1px solid var(--action);
  background: var(--action-tint);
  opacity: 0.5;
  pointer-events: none;
}

p {
  font-size: 12px;
}
</style>
