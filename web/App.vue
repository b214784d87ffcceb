<script setup lang="ts">
import { useEventListener, useLocalStorage, useTitle } from '@vueuse/core';
import { computed, onBeforeUnmount, onMounted, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api } from './api/client.ts';
import { followEvents } from './api/events.ts';
import BayRail from './frame/BayRail.vue';
import KeySheet from './frame/KeySheet.vue';
import NoticeStack from './frame/NoticeStack.vue';
import TopBar from './frame/TopBar.vue';
import { useBench } from './state/bench.ts';
import { useConnections } from './state/connections.ts';
import { useDesktop } from './state/desktop.ts';
import { useImports } from './state/imports.ts';
import { useCopies } from './state/copies.ts';
import { useLarder } from './state/larder.ts';
import { announceError, useNotices } from './state/notices.ts';
import { useRuns } from './state/runs.ts';
import TheTray from './tray/TheTray.vue';

const bench = useBench();
const larder = useLarder();
const copies = useCopies();
const imports = useImports();
const connections = useConnections();
const runs = useRuns();
const notices = useNotices();
const desktop = useDesktop();
const route = useRoute();
const router = useRouter();
const onLine = ref(true);
const hasPractice = ref(false);
const keysShown = ref(false);

const loadAll = () =>
  Promise.all([bench.load(), larder.load(), runs.load(), imports.load(), connections.load()]).catch(
    announceError,
  );

/** What this start of the program found broken off is told once to each browser. */
const toldOf = useLocalStorage('keen-larder-told-of-start', 0);
async function greet(startedAt: number): Promise<void> {
  await loadAll();
  if (toldOf.value === startedAt) return;
  for (const run of runs.interruptedBy(startedAt)) notices.runEnded(run);
  toldOf.value = startedAt;
}

let stop = () => {};
onMounted(async () => {
  stop = followEvents(
    {
      hello: ({ startedAt }) => void greet(startedAt),
      phone: (phone) => bench.take(phone),
      run: (run) => {
        if (!runs.take(run)) return;
        desktop.runEnded(run);
        if (run.id !== runs.inTray) notices.runEnded(run);
      },
      'run-log': ({ runId, line }) => runs.takeLine(runId, line),
      larder: () => void larder.load(),
      copies: () => void copies.refresh(),
      imports: () => void imports.load(),
      connections: () => void connections.load(),
    },
    (isOpen) => (onLine.value = isOpen),
  );
  hasPractice.value = (await api.about().catch(() => ({ practice: false }))).practice;
});
onBeforeUnmount(() => stop());

useTitle(
  computed(() => {
    const [live] = runs.live;
    const progress = live && live.bytes > 0 ? `${Math.floor((live.doneBytes / live.bytes) * 100)} % · ` : '';
    return `${progress}${String(route.meta['title'] ?? '')} · Keen Larder`;
  }),
);

const places: Readonly<Record<string, string>> = { b: '/bench', l: '/larder', r: '/runs', p: '/practice' };
let afterG = false;
useEventListener('keydown', (event: KeyboardEvent) => {
  const typing = (event.target as HTMLElement).closest('input, textarea, [contenteditable]');
  if (typing || event.metaKey || event.altKey || event.ctrlKey) return;
  if (event.key === '?') keysShown.value = true;
  else if (afterG && places[event.key]) void router.push(places[event.key]!);
  else if (event.key === '/') {
    const filter = document.querySelector<HTMLInputElement>('input[data-filter], [data-filter] input');
    if (filter) {
      event.preventDefault();
      filter.focus();
    }
  }
  afterG = event.key === 'g';
});
</script>

<template>
  <div class="bench">
    <a class="skip" href="#work">Skip to the work</a>
    <TopBar :has-practice="hasPractice" @keys="keysShown = true" />
    <p v-if="!onLine" class="offline" role="status">
      Keen Larder does not answer. What you see may be old; it reconnects by itself.
    </p>
    <div class="zones">
      <BayRail />
      <div class="middle">
        <main id="work" tabindex="-1">
          <RouterView />
        </main>
        <NoticeStack />
      </div>
      <TheTray />
    </div>
    <KeySheet v-model="keysShown" />
  </div>
</template>

<style scoped>
.bench {
  display: flex;
  flex-direction: column;
  height: 100%;
}

.skip {
  position: absolute;
  left: -999px;
}

.skip:focus {
  left: 8px;
  top: 8px;
  z-index: 10;
  padding: 6px 10px;
  background: var(--card);
}

.offline {
  padding: 6px 16px;
  background: var(--beetroot-tint);
  color: var(--beetroot);
  font-weight: 600;
}

.zones {
  flex: 1;
  display: grid;
  grid-template-columns: 224px minmax(0, 1fr) 316px;
  min-height: 0;
}

.middle {
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}

main {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  padding: 18px 20px 28px;
}

main:focus {
  outline: none;
}

@media (max-width: 1180px) {
  .zones {
    grid-template-columns: 180px minmax(0, 1fr) 276px;
  }

  main {
    padding: 14px 14px 24px;
  }
}

@media (min-width: 1700px) {
  .zones {
    grid-template-columns: 264px minmax(0, 1fr) 372px;
  }
}
</style>
