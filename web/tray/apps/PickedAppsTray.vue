<script setup lang="ts">
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { useApps } from '../../state/apps.ts';
import ChangeAppsTray from './picked/ChangeAppsTray.vue';
import CopyAppsTray from './picked/CopyAppsTray.vue';
import PutAppsBackTray from './picked/PutAppsBackTray.vue';

/** The tray for what is done with the apps that are picked. */
const props = defineProps<{ phone: PhoneView }>();
const store = useApps();
const trays = { copy: CopyAppsTray, 'put-back': PutAppsBackTray, change: ChangeAppsTray } as const;
const tray = computed(() => trays[store.draft(props.phone.serial).doing]);
</script>

<template>
  <component :is="tray" :phone="phone" />
</template>
