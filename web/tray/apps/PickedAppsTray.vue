<script setup lang="ts">
import { computed, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { useApps } from '../../state/apps.ts';
import ChangeAppsTray from './picked/ChangeAppsTray.vue';
import CopyAppsTray from './picked/CopyAppsTray.vue';
import PutAppsBackTray from './picked/PutAppsBackTray.vue';

/** The tray for what is done with the apps that are picked. */
const props = defineProps<{ phone: PhoneView }>();
const store = useApps();
const trays = { copy: CopyAppsTray, 'put-back': PutAppsBackTray, change: ChangeAppsTray } as const;
/** What is not on the phone can only be put back, as after a factory reset. */
watch(
  () => store.pickedOf(props.phone.serial),
  (picked) => {
    const draft = store.draft(props.phone.serial);
    const areGone =
      picked.length > 0 && picked.every(({ installed, copies }) => !installed && copies.length > 0);
    if (areGone && draft.doing !== 'put-back') draft.doing = 'put-back';
  },
  { immediate: true },
);
const tray = computed(() => trays[store.draft(props.phone.serial).doing]);
</script>

<template>
  <component :is="tray" :phone="phone" />
</template>
