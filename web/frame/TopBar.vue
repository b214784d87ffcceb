<script setup lang="ts">
import { useDark, useToggle } from '@vueuse/core';
import { CircleQuestionMark, LockOpen, LogOut, Moon, Search, Sun, UserRound, Wrench } from 'lucide-vue-next';
import { computed } from 'vue';
import { useRoute } from 'vue-router';
import { useBench } from '../state/bench.ts';
import { useRuns } from '../state/runs.ts';
import { useSession } from '../state/session.ts';

defineProps<{ hasPractice: boolean; isOpen: boolean }>();
const emit = defineEmits<{ keys: []; palette: [] }>();
const isDark = useDark();
const toggle = useToggle(isDark);
const runs = useRuns();
const session = useSession();
const route = useRoute();
const bench = useBench();
/** From elsewhere to the phone that one was on; from a phone to all of the bench. */
const toBench = computed(() => ({
  name: 'bench',
  params: { serial: place.value === 'Bench' ? '' : (bench.last ?? '') },
}));
/** The view one is in, its sub-pages included. */
const place = computed(() => route.meta['place'] ?? route.meta['title']);
const here = (title: string) => (place.value === title ? 'true' : undefined);
</script>

<template>
  <header class="bar">
    <RouterLink to="/bench" class="brand">
      <img src="/mark.svg" alt="" width="22" height="26" />
      <span>Keen Larder</span>
    </RouterLink>
    <nav aria-label="Views">
      <RouterLink :to="toBench" :aria-current="here('Bench')">Bench</RouterLink>
      <RouterLink to="/larder" :aria-current="here('Larder')">Larder</RouterLink>
      <RouterLink to="/jobs" :aria-current="here('Jobs')">Jobs</RouterLink>
      <RouterLink to="/runs" :aria-current="here('Runs')">
        Runs<span v-if="runs.live.length" class="count" :aria-label="`${runs.live.length} under way`">{{
          runs.live.length
        }}</span>
      </RouterLink>
    </nav>
    <div class="end">
      <span
        v-if="isOpen"
        class="open"
        title="Everybody who uses this computer can open this bench. Without the option --open it needs the key of its link."
      >
        <LockOpen :size="14" aria-hidden="true" /> <span>open to this computer</span>
      </span>
      <RouterLink v-if="hasPractice" to="/practice" class="practice" :aria-current="here('Practice bench')">
        <Wrench :size="15" aria-hidden="true" /> <span>Practice bench</span>
      </RouterLink>
      <button
        type="button"
        aria-label="Go to a page, a phone or a set"
        title="Go to… (Ctrl K)"
        @click="emit('palette')"
      >
        <Search :size="17" aria-hidden="true" />
      </button>
      <RouterLink to="/people" class="person" :aria-current="here('People')" title="People">
        <UserRound :size="17" aria-hidden="true" />
        <span :class="{ unseen: !session.me }">{{ session.me?.name ?? 'People' }}</span>
      </RouterLink>
      <button
        v-if="session.me"
        type="button"
        aria-label="Sign out"
        title="Sign out"
        @click="session.signOut()"
      >
        <LogOut :size="17" aria-hidden="true" />
      </button>
      <button
        type="button"
        :aria-label="isDark ? 'Use the light theme' : 'Use the dark theme'"
        :title="isDark ? 'Light theme' : 'Dark theme'"
        @click="toggle()"
      >
        <component :is="isDark ? Sun : Moon" :size="17" aria-hidden="true" />
      </button>
      <button type="button" aria-label="Keys and help" title="Keys and help (?)" @click="emit('keys')">
        <CircleQuestionMark :size="17" aria-hidden="true" />
      </button>
    </div>
  </header>
</template>

<style scoped>
.open {
  display: flex;
  align-items: center;
  gap: 5px;
  color: var(--on-bar);
  font-size: 13px;
  opacity: 0.8;
}

.bar {
  display: flex;
  align-items: stretch;
  height: 46px;
  padding: 0 12px 0 14px;
  background: var(--bar);
  color: var(--on-bar);
}

.brand {
  display: flex;
  align-items: center;
  gap: 10px;
  width: 226px;
  color: inherit;
  font-size: 17px;
  font-weight: 700;
  text-decoration: none;
}

nav {
  display: flex;
  align-items: flex-end;
  gap: 4px;
}

nav a,
.practice {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  height: 38px;
  padding: 0 16px;
  border-radius: 4px 4px 0 0;
  color: inherit;
  font-weight: 600;
  text-decoration: none;
}

nav a:hover,
.practice:hover {
  background: rgb(255 255 255 / 9%);
}

nav a[aria-current],
.practice[aria-current] {
  background: var(--paper);
  color: var(--ink);
}

.count {
  padding: 0 6px;
  border-radius: 9px;
  background: var(--action);
  color: var(--on-action);
  font-size: 12px;
}

.end {
  display: flex;
  align-items: center;
  gap: 4px;
  margin-left: auto;
}

.practice {
  align-self: flex-end;
}

button,
.person {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  padding: 7px;
  border: 0;
  background: none;
  color: inherit;
  cursor: pointer;
}

.bar :focus-visible {
  outline-color: var(--on-bar);
}

.person {
  max-width: 170px;
  text-decoration: none;
}

.person span:not(.unseen) {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

@media (max-width: 1180px) {
  .brand {
    width: 180px;
  }
}

/* Names give way to their marks; screen readers still have them. */
@media (max-width: 900px) {
  .brand {
    width: auto;
  }

  .brand span,
  .practice span,
  .open span,
  .person .unseen {
    position: absolute;
    overflow: hidden;
    width: 1px;
    height: 1px;
    clip-path: inset(50%);
  }

  .person {
    max-width: 90px;
  }

  nav a,
  .practice {
    padding: 0 10px;
  }
}
</style>
