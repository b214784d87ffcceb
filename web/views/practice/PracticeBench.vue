<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core';
import { ref } from 'vue';
import type { PracticeView } from '@keen-larder/contract/practice.ts';
import { api } from '../../api/client.ts';
import EmptyState from '../../parts/EmptyState.vue';
import PracticePhoneCard from './PracticePhoneCard.vue';

const view = ref<PracticeView>();
const error = ref<string>();

async function load(): Promise<void> {
  try {
    view.value = await api.practice();
    error.value = undefined;
  } catch (failure) {
    error.value = (failure as Error).message;
  }
}
useIntervalFn(load, 700, { immediateCallback: true });
</script>

<template>
  <header>
    <h1>Practice bench</h1>
    <p class="soft">
      Simulated phones with real flash, real file systems and real adb. What you do here is what hands do at a
      bench; nothing of it is told to the application, which has to find out.
    </p>
  </header>
  <EmptyState v-if="error" title="The practice bench does not answer">{{ error }}</EmptyState>
  <template v-else-if="view">
    <PracticePhoneCard
      v-for="phone in view.phones"
      :key="phone.serial"
      :phone="phone"
      :good-builds="view.goodBuilds"
      :broken-builds="view.brokenBuilds"
      @changed="load"
    />
  </template>
</template>

<style scoped>
header {
  max-width: 74ch;
  margin-bottom: 14px;
}

h1 {
  font-size: 24px;
}
</style>
