<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import type { PracticeView } from '@keen-larder/contract/practice.ts';
import { api } from '../../api/client.ts';
import EmptyState from '../../parts/EmptyState.vue';
import { useBench } from '../../state/bench.ts';
import PracticePhoneCard from './PracticePhoneCard.vue';

const view = ref<PracticeView>();
const error = ref<string>();
const route = useRoute();
const bench = useBench();
const shown = computed(
  () => view.value?.phones.find(({ serial }) => serial === route.query['phone']) ?? view.value?.phones[0],
);

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
      Simulated phones with real flash, real file systems and real protocols. What you do here is what hands
      do at a bench; nothing of it is told to the application, which has to find out.
    </p>
  </header>
  <EmptyState v-if="error" title="The practice bench does not answer">{{ error }}</EmptyState>
  <template v-else-if="view">
    <nav aria-label="Simulated phones">
      <RouterLink
        v-for="phone in view.phones"
        :key="phone.serial"
        :to="{ name: 'practice', query: { phone: phone.serial } }"
        :class="{ shown: phone.serial === shown?.serial }"
        :aria-current="phone.serial === shown?.serial ? 'page' : undefined"
      >
        <strong>{{ bench.phone(phone.serial)?.nickname ?? `${phone.maker} ${phone.model}` }}</strong>
        <span class="soft"
          >{{ phone.serial }} ·
          {{
            phone.question || phone.asking
              ? 'asks on its screen'
              : phone.phase === 'running'
                ? phone.mode
                : phone.phase
          }}{{ phone.faults.length ? ' · faulty' : '' }}</span
        >
      </RouterLink>
    </nav>
    <PracticePhoneCard
      v-if="shown"
      :key="shown.serial"
      :phone="shown"
      :good-builds="view.goodBuilds"
      :broken-builds="view.brokenBuilds"
      @changed="load"
    />
  </template>
</template>

<style scoped>
nav {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-bottom: 12px;
}

nav a {
  display: grid;
  padding: 5px 10px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--card);
  color: inherit;
  font-size: 13px;
  text-decoration: none;
}

nav a.shown {
  border-color: var(--action);
  background: var(--action-tint);
}

header {
  max-width: 74ch;
  margin-bottom: 14px;
}

h1 {
  font-size: 24px;
}
</style>
