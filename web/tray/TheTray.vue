<script setup lang="ts">
import { storeToRefs } from 'pinia';
import { computed, watch } from 'vue';
import { useRoute } from 'vue-router';
import { useApps } from '../state/apps.ts';
import { useBench } from '../state/bench.ts';
import { useRuns } from '../state/runs.ts';
import { useCopies } from '../state/larder/copies.ts';
import { useImports } from '../state/imports.ts';
import { useMoving } from '../state/moving.ts';
import { useRescue } from '../state/rescue.ts';
import { lazily } from '../parts/lazily.ts';

/** Loaded when they are first shown. */
const AppTray = lazily(() => import('./apps/AppTray.vue'));
const RecordsTray = lazily(() => import('./RecordsTray.vue'));
const MovingTray = lazily(() => import('./apps/MovingTray.vue'));
const PickedAppsTray = lazily(() => import('./apps/PickedAppsTray.vue'));
const CopyTray = lazily(() => import('./apps/CopyTray.vue'));
const ImportAppsTray = lazily(() => import('./files/ImportAppsTray.vue'));
const ImportTray = lazily(() => import('./files/ImportTray.vue'));
const RestoringTray = lazily(() => import('./restoring/RestoringTray.vue'));
const LockingTray = lazily(() => import('./restoring/LockingTray.vue'));
const RepairTray = lazily(() => import('./restoring/RepairTray.vue'));
const RunTray = lazily(() => import('./RunTray.vue'));
const ImagingTray = lazily(() => import('./ImagingTray.vue'));

/** The tray follows what is shown and picked in the middle. */
const route = useRoute();
const bench = useBench();
const runs = useRuns();
const rescue = useRescue();
const moving = useMoving();

const isOfPhone = computed(() =>
  ['bench', 'apps', 'records', 'move', 'rescue', 'bootloader'].includes(String(route.name)),
);
const serial = computed(() => (isOfPhone.value ? String(route.params['serial'] ?? '') : ''));
const setId = computed(() =>
  route.name === 'set' || route.name === 'inside'
    ? String(route.params['id'])
    : route.name === 'larder'
      ? String(route.query['set'] ?? '')
      : '',
);
const imports = useImports();
const copies = useCopies();
const importId = computed(() => (route.name === 'import' ? String(route.params['id'] ?? '') : ''));
const incoming = computed(() => {
  const found = importId.value ? imports.byId(importId.value) : undefined;
  return found?.state === 'ready' && found.images.length + found.copies.length > 0 ? found : undefined;
});
const phone = computed(() => bench.phone(serial.value));
const apps = useApps();
const appsPicked = computed(() => serial.value !== '' && apps.draft(serial.value).picked.length > 0);
const repair = computed(() => (route.name === 'rescue' ? rescue.inTray(serial.value) : undefined));

/** The run at work on this phone; of a move also that on the other one. */
const atWork = computed(() => {
  const other = route.name === 'move' ? moving.draft(serial.value).to : undefined;
  return runs.ofPhone(serial.value) ?? (other ? runs.ofPhone(other) : undefined);
});
/** A run stays in the tray after its end until it is put aside. */
const { inTray: followed } = storeToRefs(runs);
watch(
  () => [serial.value, setId.value || importId.value, runs.live.map(({ id }) => id).join()] as const,
  ([phoneSerial, set], before) => {
    const moved = before && (before[0] !== phoneSerial || before[1] !== set);
    const live =
      (phoneSerial && atWork.value) || (set && runs.live.find((run) => run.setId === set)) || undefined;
    if (live) followed.value = live.id;
    else if (moved) followed.value = undefined;
  },
  { immediate: true },
);
const run = computed(() => (followed.value ? runs.byId[followed.value] : undefined));
</script>

<template>
  <aside class="tray" aria-label="Tray">
    <RunTray v-if="run" :run="run" @aside="followed = undefined" />
    <RepairTray
      v-else-if="phone && repair"
      :key="`${phone.serial} ${repair.id}`"
      :phone="phone"
      :repair="repair"
    />
    <div v-else-if="phone && route.name === 'rescue'" class="nothing">
      <h2 class="zone">Tray</h2>
      <p class="soft">Plan a repair to see what it would take.</p>
    </div>
    <LockingTray
      v-else-if="phone && route.name === 'bootloader'"
      :key="`lock ${phone.serial}`"
      :phone="phone"
    />
    <PickedAppsTray
      v-else-if="phone && route.name === 'apps' && appsPicked"
      :key="`picked ${phone.serial}`"
      :phone="phone"
    />
    <AppTray v-else-if="phone && route.name === 'apps'" :key="`apps ${phone.serial}`" :phone="phone" />
    <RecordsTray
      v-else-if="phone && route.name === 'records'"
      :key="`records ${phone.serial}`"
      :phone="phone"
    />
    <MovingTray v-else-if="phone && route.name === 'move'" :key="`move ${phone.serial}`" :phone="phone" />
    <ImagingTray v-else-if="phone" :key="phone.serial" :phone="phone" />
    <ImportAppsTray
      v-else-if="incoming && imports.isForCopies(incoming)"
      :key="`apps ${incoming.id}`"
      :found="incoming"
    />
    <CopyTray v-else-if="route.name === 'copies' && copies.inTray" :copy="copies.inTray" />
    <div v-else-if="route.name === 'copies'" class="nothing">
      <h2 class="zone">Tray</h2>
      <p class="soft">Choose a copy to see what it holds; pick some to verify them.</p>
    </div>
    <ImportTray v-else-if="incoming" :key="incoming.id" :found="incoming" />
    <RestoringTray v-else-if="setId" :key="setId" :set-id="setId" />
    <div v-else class="nothing">
      <h2 class="zone">Tray</h2>
      <p class="soft">
        {{
          route.name === 'larder'
            ? 'Select a set to see what it would take to put it back.'
            : 'Nothing is picked. Choose a phone on the bench, or a set in the larder.'
        }}
      </p>
    </div>
  </aside>
</template>

<style scoped>
.tray {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--panel);
  border-left: 1px solid var(--rule);
}

.nothing {
  display: grid;
  gap: 10px;
  padding: 14px;
}
</style>
