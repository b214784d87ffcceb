<script setup lang="ts">
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { runsThatChange } from '@keen-larder/contract/runs.ts';
import type { AxisEvent } from '@keen-larder/core/larder/time-axis.ts';
import TimeAxis from '../../charts/TimeAxis.vue';
import { useCopies } from '../../state/larder/copies.ts';
import { useLarder } from '../../state/larder.ts';
import { announceError } from '../../state/notices/notices.ts';
import { useRuns } from '../../state/runs.ts';

/** The time axis above the labels: what was kept when, of which phone, and what changed it. */
const props = defineProps<{ sets: readonly SetView[]; serial: string }>();
const range = defineModel<readonly [number, number] | undefined>('range', { required: true });
const larder = useLarder();
const copies = useCopies();
const runs = useRuns();
const router = useRouter();
const now = Date.now();
if (!copies.loaded) void copies.load().catch(announceError);

const names = computed(() => new Map(larder.all.map(({ serial, nickname }) => [serial, nickname])));
const isOfPhone = (serial: string | undefined): serial is string =>
  serial !== undefined && names.value.has(serial) && (!props.serial || serial === props.serial);
const events = computed((): AxisEvent[] => [
  ...props.sets
    .filter(({ serial }) => isOfPhone(serial))
    .map(({ id, serial, createdAt, label }) => ({
      id,
      serial,
      at: createdAt,
      kind: 'set' as const,
      title: label,
    })),
  ...copies.kept
    .filter(({ view }) => isOfPhone(view.serial))
    .map(({ id, title, view }) => ({
      id,
      serial: view.serial,
      at: view.createdAt,
      kind: 'copy' as const,
      title: `copy of ${title}`,
    })),
  ...runs.list.flatMap(({ id, kind, serial, endedAt, title }) =>
    isOfPhone(serial) && endedAt !== undefined && runsThatChange.has(kind)
      ? [{ id, serial, at: endedAt, kind: 'run' as const, title }]
      : [],
  ),
]);
const conditions = computed(() =>
  props.sets
    .filter(({ imported }) => !imported)
    .map(({ serial, createdAt, condition }) => ({
      serial,
      at: createdAt,
      kind: condition.starts === false ? 'not starting' : condition.kind,
    })),
);

function open({ id, kind }: AxisEvent): void {
  if (kind === 'set') void router.push({ name: 'set', params: { id } });
  else if (kind === 'run') void router.push({ name: 'runs', params: { id } });
  else void router.push({ name: 'copies' });
}
</script>

<template>
  <TimeAxis
    v-if="events.length > 1"
    :events="events"
    :conditions="conditions"
    :name-of="(each) => names.get(each) ?? each"
    :now="now"
    :chosen="range"
    @choose="(chosen) => (range = chosen)"
    @open="open"
  />
</template>
