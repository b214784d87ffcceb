<script setup lang="ts">
import { useNow } from '@vueuse/core';
import { computed } from 'vue';
import { exactTime, relativeTime } from './time.ts';

const props = defineProps<{ at: number }>();
const now = useNow({ interval: 15_000 });
const text = computed(() => relativeTime(props.at, now.value.getTime()));
</script>

<template>
  <time :datetime="new Date(at).toISOString()" :title="exactTime(at)">{{ text }}</time>
</template>
