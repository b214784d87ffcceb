<script setup lang="ts">
import { computed, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { stepsToOpen } from '@keen-larder/core/phone/without-root.ts';
import { recordKind } from '@keen-larder/core/records/kinds.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { useApps } from '../../../state/apps.ts';
import { useRecords } from '../../../state/records.ts';

/** What a phone without root gives as it is, what stays closed, and what would open that. */
const props = defineProps<{ phone: PhoneView; sharedBytes: number | undefined }>();
const apps = useApps();
const records = useRecords();
watch(
  () => props.phone.serial,
  (serial) => {
    if (!apps.lists[serial]) void apps.load(serial);
    if (!records.lists[serial]) void records.load(serial);
  },
  { immediate: true },
);
const serial = computed(() => props.phone.serial);
const programs = computed(() => apps.lists[serial.value]);
const told = computed(() =>
  (records.lists[serial.value] ?? []).filter(({ missing }) => missing !== undefined),
);
const count = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
const programText = computed(() => {
  const list = programs.value;
  if (!list) return apps.errors[serial.value] ?? 'asking…';
  const bytes = list.reduce((sum, { installed }) => sum + (installed?.programBytes ?? 0), 0);
  return `${count(list.length, 'app', 'apps')}, ${sizeText(bytes)} of programs, without their data`;
});
const recordText = computed(() => {
  if (!records.lists[serial.value]) return records.errors[serial.value] ?? 'asking…';
  if (told.value.length === 0) return 'its content providers tell nothing';
  return `${listText(told.value.map(({ kind, count: n }) => `${recordKind(kind).title} (${n ?? '–'})`))}, to be read`;
});
const steps = computed(() => stepsToOpen(props.phone.facts?.condition ?? {}));
</script>

<template>
  <section class="as-it-is" aria-labelledby="gives">
    <h2 id="gives">What {{ phone.nickname }} gives as it is, without root</h2>
    <dl>
      <div>
        <dt>Photos and downloads</dt>
        <dd>
          {{
            sharedBytes === undefined ? 'the system shows none now: unlock its screen' : sizeText(sharedBytes)
          }}
          <span v-if="sharedBytes !== undefined" class="soft">pick shared-storage below</span>
        </dd>
      </div>
      <div>
        <dt><RouterLink :to="{ name: 'apps', params: { serial } }">Apps</RouterLink></dt>
        <dd>{{ programText }}</dd>
      </div>
      <div>
        <dt><RouterLink :to="{ name: 'records', params: { serial } }">Records</RouterLink></dt>
        <dd>{{ recordText }}</dd>
      </div>
    </dl>
    <h3>Closed: partitions, app data, settings, the IMEI’s own partition</h3>
    <ul class="soft">
      <li v-for="step in steps" :key="step">{{ step }}</li>
    </ul>
  </section>
</template>

<style scoped>
.as-it-is {
  display: grid;
  gap: 7px;
  margin-bottom: 14px;
  padding: 11px 14px 12px;
  border: 1px solid var(--rule-strong);
  border-radius: 4px;
  background: var(--card);
}

h2 {
  font-size: 16px;
}

h3 {
  margin-top: 5px;
  font-size: 13.5px;
}

dl div {
  display: grid;
  grid-template-columns: 170px 1fr;
  gap: 10px;
  padding: 5px 0;
  border-top: 1px solid var(--rule);
}

dt {
  font-weight: 700;
}

dd .soft {
  margin-left: 8px;
  font-size: 13px;
}

ul {
  display: grid;
  gap: 2px;
  padding-left: 16px;
  font-size: 13px;
  list-style: disc;
}
</style>
