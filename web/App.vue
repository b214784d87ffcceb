<script setup lang="ts">
import { useDark } from '@vueuse/core';
import { lazily } from './parts/lazily.ts';
import EmptyState from './parts/EmptyState.vue';
import TheBench from './frame/TheBench.vue';
import { useSession } from './state/session.ts';

const SignIn = lazily(() => import('./views/people/SignIn.vue'));

// Also where nothing else would: before one has signed in.
useDark();
const session = useSession();
void session.load();
</script>

<template>
  <main v-if="session.lockedOut" class="door">
    <EmptyState title="This bench needs its key">{{ session.lockedOut }}</EmptyState>
  </main>
  <main v-else-if="session.mustSignIn" class="door"><SignIn /></main>
  <TheBench v-else-if="session.view" />
</template>

<style scoped>
.door {
  display: grid;
  min-height: 100vh;
  place-items: center;
}
</style>
