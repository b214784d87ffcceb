<script setup lang="ts">
import { isComparedInPieces } from '@keen-larder/core/phone/piece-sizes.ts';
import { ElCheckbox } from 'element-plus';
import { computed } from 'vue';
import { armingText } from '@keen-larder/core/runsheet/arming.ts';
import type { PartitionView, PhoneView } from '@keen-larder/contract/bench.ts';
import type { Put, RestoringRequest } from '@keen-larder/contract/requests/restoring.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import { archiveOf } from '@keen-larder/core/phone/archives.ts';
import { api } from '../../api/client.ts';
import { useBench } from '../../state/bench.ts';
import type { RestoringPicks } from '../../state/picks.ts';
import RunFrame from '../RunFrame.vue';
import { useTrayRun } from '../tray-run.ts';

/** A plan of putting back: its run sheet, its arming and its button, whatever it was made from. */
const props = defineProps<{
  picks: RestoringPicks;
  /** Onto which; undefined when none is on the bench. */
  phone: PhoneView | undefined;
  puts: readonly Put[];
  activate?: 'a' | 'b' | undefined;
}>();
const bench = useBench();

const count = computed(() => props.puts.length);
/** Files to unpack, which have a choice of their own. */
const hasFiles = computed(() => props.puts.some(({ partition }) => archiveOf(partition)));
const hasWork = computed(() => count.value > 0 || props.activate !== undefined);
const armed = computed(
  () => props.phone !== undefined && props.picks.armedWith === armingText(props.phone.serial),
);
const { sheet, run } = useTrayRun({
  picks: () => props.picks,
  serial: () => props.phone?.serial,
  sources: [
    () => props.puts,
    () => props.activate,
    () => props.picks.restartAfter,
    () => props.picks.keepFirst,
    () => props.picks.format,
    () => props.phone?.facts,
    () => props.phone?.presence,
  ],
  compute: (signal) =>
    props.phone?.presence === 'here' ? api.restoringSheet(props.phone.serial, request(), signal) : undefined,
  isReady: () => armed.value,
  // eslint-disable-next-line vue/no-mutating-props -- what is picked is a store's, handed on
  format: () => (props.picks.format = true),
  async begin(seen) {
    const { confirmed, armedWith } = props.picks;
    const run = await api.startRestoring(props.phone!.serial, { ...request(), confirmed, seen, armedWith });
    // eslint-disable-next-line vue/no-mutating-props -- what is picked is a store's, handed on
    props.picks.armedWith = '';
    return run;
  },
});

function request(): RestoringRequest {
  const { restartAfter, keepFirst, format, writeAll } = props.picks;
  return {
    puts: [...props.puts],
    restartAfter,
    ...(keepFirst && { keepFirst }),
    ...(writeAll && { writeAll }),
    ...(format && hasFiles.value && { format }),
    ...(props.activate && { activate: props.activate }),
  };
}

/** The phone digests pieces of what it has: only those that differ are written. */
const comparesPieces = computed(
  () =>
    (props.phone?.facts?.mode === 'system' || props.phone?.facts?.mode === 'recovery') &&
    writes.value.some(({ bytes, text }) => isComparedInPieces(bytes) && text.startsWith('Write ')),
);

const figures = computed(() => {
  if (!sheet.value || count.value === 0) return [];
  const { bytes, expectedMs, bytesPerSecond } = sheet.value;
  return [
    {
      value: sizeText(bytes),
      name: comparesPieces.value && !props.picks.writeAll ? 'to write at most' : 'to write',
      exact: `${bytes.toLocaleString('en')} bytes`,
    },
    { value: aboutText(expectedMs), name: `at ${sizeText(bytesPerSecond)}/s` },
  ];
});

const there = computed(
  () => new Map((bench.partitions[props.phone?.serial ?? ''] ?? []).map((each) => [each.name, each])),
);
/** What is known of what a step writes over. */
function nowText(partition: PartitionView | undefined): string {
  if (!partition) return '';
  if (partition.halfWritten) return 'half written now';
  if (!partition.kept) return 'never kept';
  if (!partition.since) return 'not compared';
  return partition.since.changed ? 'changed since kept' : 'as kept';
}
const isProvedLater = computed(() => sheet.value?.steps.some(({ kind }) => kind === 'prove') ?? false);
const writes = computed(() => sheet.value?.steps.filter(({ kind }) => kind === 'write') ?? []);
const others = computed(
  () =>
    sheet.value?.steps.filter(({ kind }) =>
      ['format', 'clear', 'activate', 'restart', 'compare'].includes(kind),
    ) ?? [],
);
const fromText = ({ source, partition }: Step) =>
  source && source.partition !== partition ? ` from ${source.partition}` : '';
const canKeepFirst = computed(
  () =>
    sheet.value?.checks.some(({ id, title }) => id === 'keep-first' && title !== 'Cannot be kept first') ??
    false,
);
const goWords = computed(() =>
  count.value === 0
    ? props.activate
      ? `Switch to slot ${props.activate}`
      : 'Restore'
    : `Restore ${count.value} ${count.value === 1 ? 'partition' : 'partitions'}`,
);
function arm(typed: string): void {
  // What is picked is a store's, handed on.
  const { picks } = props;
  picks.armedWith = typed;
}
</script>

<template>
  <RunFrame
    :title="phone ? `Tray · put back onto ${phone.nickname}` : 'Tray · put back'"
    :run="run"
    :picks="picks"
    :figures="figures"
    :arms="phone?.serial"
    :go="goWords"
    @arm="arm"
  >
    <slot />
    <ol v-if="sheet && hasWork" class="steps">
      <li v-for="step in writes" :key="step.text">
        <span><code>{{ step.partition }}</code>{{ fromText(step) }}</span>
        <span
          class="soft"
          :title="isProvedLater ? 'Proved in recovery' : 'Proved by the phone’s own digest'"
          >{{ nowText(there.get(step.partition!)) }}</span
        >
        <span>{{ sizeText(step.bytes) }}</span>
      </li>
      <li v-for="step in others" :key="step.text" class="other">
        <span>{{ step.text }}</span>
      </li>
    </ol>
    <template #below>
      <!-- eslint-disable vue/no-mutating-props -- what is picked is a store's, handed on -->
      <ElCheckbox v-if="sheet && hasWork && canKeepFirst" v-model="picks.keepFirst"
        >Keep first what is about to be overwritten</ElCheckbox
      >
      <ElCheckbox v-if="sheet && comparesPieces" v-model="picks.writeAll"
        >Write everything, also what the phone has already</ElCheckbox
      >
      <ElCheckbox v-if="sheet && hasFiles" v-model="picks.format"
        >Format user data first: photos and downloads on it are lost</ElCheckbox
      >
      <ElCheckbox v-if="sheet && hasWork" v-model="picks.restartAfter"
        >Restart into system afterwards, watch it start, and compare</ElCheckbox
      >
      <template v-if="phone && phone.presence !== 'here'">
        <p class="error" role="status">
          {{ phone.nickname }}
          {{
            phone.presence === 'looping'
              ? 'does not start'
              : phone.presence === 'away'
                ? 'does not answer'
                : 'is restarting'
          }}.
        </p>
        <p v-if="phone.keys.recovery" class="soft">Into recovery by hand: {{ phone.keys.recovery }}</p>
      </template>
      <p v-if="!phone" class="soft">No phone is on the bench. Connect the one to put this back onto.</p>
      <!-- eslint-enable vue/no-mutating-props -->
    </template>
  </RunFrame>
</template>

<style scoped>
.steps li {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 10px;
  padding: 4px 2px;
  border-bottom: 1px solid var(--rule);
  font-size: 13px;
}

.steps .other {
  color: var(--ink-soft);
}
</style>
