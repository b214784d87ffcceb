<script setup lang="ts">
import { computed, nextTick, useTemplateRef, watch } from 'vue';
import { useApps } from '../state/apps.ts';
import { useCopies } from '../state/larder/copies.ts';
import { useImports } from '../state/imports.ts';
import { useRescue } from '../state/rescue.ts';
import { lazily } from '../parts/lazily.ts';
import type { useInTray } from './in-tray.ts';

/** Loaded when they are first shown. */
const AppTray = lazily(() => import('./apps/AppTray.vue'));
const WaitingTray = lazily(() => import('./apps/WaitingTray.vue'));
const RecordsTray = lazily(() => import('./RecordsTray.vue'));
const SharedTray = lazily(() => import('./SharedTray.vue'));
const LeftoversTray = lazily(() => import('./apps/LeftoversTray.vue'));
const MovingTray = lazily(() => import('./apps/MovingTray.vue'));
const PickedAppsTray = lazily(() => import('./apps/PickedAppsTray.vue'));
const CarryTray = lazily(() => import('./apps/CarryTray.vue'));
const CopyTray = lazily(() => import('./apps/CopyTray.vue'));
const ImportAppsTray = lazily(() => import('./files/ImportAppsTray.vue'));
const ImportTray = lazily(() => import('./files/ImportTray.vue'));
const RestoringTray = lazily(() => import('./restoring/RestoringTray.vue'));
const LockingTray = lazily(() => import('./restoring/LockingTray.vue'));
const RepairTray = lazily(() => import('./restoring/RepairTray.vue'));
const RunTray = lazily(() => import('./RunTray.vue'));
const ImagingTray = lazily(() => import('./ImagingTray.vue'));

const { inTray } = defineProps<{ inTray: ReturnType<typeof useInTray> }>();
const { page, serial, setId, incoming, phone, run, putAside } = inTray;
const imports = useImports();
const copies = useCopies();
const apps = useApps();
const rescue = useRescue();
const appsPicked = computed(() => serial.value !== '' && apps.draft(serial.value).picked.length > 0);
const waitingPicked = computed(() => serial.value !== '' && apps.draft(serial.value).ofWaiting.length > 0);
const repair = computed(() => (page.value === 'rescue' ? rescue.inTray(serial.value) : undefined));

/** A run that was started here is followed here, by the keyboard as well; what is being written elsewhere is not left. */
const tray = useTemplateRef<HTMLElement>('tray');
watch(
  () => [serial.value, run.value?.id],
  async ([onPhone, id], [before]) => {
    if (!id || onPhone !== before) return;
    await nextTick();
    if (!document.activeElement?.matches('input, textarea')) tray.value?.focus({ preventScroll: true });
  },
);
</script>

<template>
  <aside ref="tray" class="tray" aria-label="Tray" tabindex="-1">
    <RunTray v-if="run" :run="run" @aside="putAside" />
    <RepairTray
      v-else-if="phone && repair"
      :key="`${phone.serial} ${repair.id}`"
      :phone="phone"
      :repair="repair"
    />
    <div v-else-if="phone && page === 'rescue'" class="nothing">
      <h2 class="zone">Tray</h2>
      <p class="soft">Plan a repair to see what it would take.</p>
    </div>
    <LockingTray v-else-if="phone && page === 'bootloader'" :key="`lock ${phone.serial}`" :phone="phone" />
    <PickedAppsTray
      v-else-if="phone && page === 'apps' && appsPicked"
      :key="`picked ${phone.serial}`"
      :phone="phone"
    />
    <WaitingTray
      v-else-if="phone && page === 'apps' && waitingPicked"
      :key="`waiting ${phone.serial}`"
      :phone="phone"
    />
    <AppTray v-else-if="phone && page === 'apps'" :key="`apps ${phone.serial}`" :phone="phone" />
    <LeftoversTray
      v-else-if="phone && page === 'leftovers'"
      :key="`leftovers ${phone.serial}`"
      :phone="phone"
    />
    <RecordsTray v-else-if="phone && page === 'records'" :key="`records ${phone.serial}`" :phone="phone" />
    <SharedTray v-else-if="phone && page === 'shared'" :key="`shared ${phone.serial}`" :phone="phone" />
    <MovingTray v-else-if="phone && page === 'move'" :key="`move ${phone.serial}`" :phone="phone" />
    <ImagingTray v-else-if="phone" :key="phone.serial" :phone="phone" />
    <ImportAppsTray
      v-else-if="incoming && imports.isForCopies(incoming)"
      :key="`apps ${incoming.id}`"
      :found="incoming"
    />
    <CarryTray
      v-else-if="page === 'copies' && copies.pickedApps.length && !copies.inTray"
      :ids="copies.pickedApps"
      :records="copies.pickedRecords"
      @toggle="copies.toggle"
    />
    <CopyTray v-else-if="page === 'copies' && copies.inTray" :copy="copies.inTray" />
    <div v-else-if="page === 'copies'" class="nothing">
      <h2 class="zone">Tray</h2>
      <p class="soft">
        Choose a copy to see what it holds; pick some to verify them, or to carry apps along.
      </p>
    </div>
    <ImportTray v-else-if="incoming" :key="incoming.id" :found="incoming" />
    <RestoringTray v-else-if="setId" :key="setId" :set-id="setId" />
    <div v-else class="nothing">
      <h2 class="zone">Tray</h2>
      <p class="soft">
        {{
          page === 'import'
            ? 'Choose what was taken in to see what it is and to keep it.'
            : 'Select a set to see what it would take to put it back.'
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
