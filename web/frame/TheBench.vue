<script setup lang="ts">
import { useTitle } from '@vueuse/core';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import BayRail from './BayRail.vue';
import { lazily } from '../parts/lazily.ts';
import NoticeStack from './NoticeStack.vue';
import ShelfBar from './ShelfBar.vue';
import TopBar from './TopBar.vue';
import { useGlobalKeys } from '../keys.ts';
import { useDueNotices } from '../state/notices/due-notices.ts';
import { useLiveFeed } from '../state/live-feed.ts';
import { useRuns } from '../state/runs.ts';
import { useSession } from '../state/session.ts';
import TheTray from '../tray/TheTray.vue';

const KeySheet = lazily(() => import('./KeySheet.vue'));
const CommandPalette = lazily(() => import('./CommandPalette.vue'));

/** The workbench: the bay rail, the work, the tray. */
const session = useSession();
const runs = useRuns();
const route = useRoute();
const router = useRouter();
const { onLine } = useLiveFeed();
useDueNotices();
const keysShown = ref<boolean>();
/** Undefined until it is wanted for the first time. */
const paletteShown = ref<boolean>();
useGlobalKeys({
  showSheet: () => (keysShown.value = true),
  showPalette: () => (paletteShown.value = true),
  go: (path) => void router.push(path),
});

useTitle(
  computed(() => {
    const [live] = runs.live;
    const progress = live && live.bytes > 0 ? `${Math.floor((live.doneBytes / live.bytes) * 100)} % · ` : '';
    return `${progress}${String(route.meta['title'] ?? '')} · Keen Larder`;
  }),
);
</script>

<template>
  <div class="bench">
    <a class="skip" href="#work">Skip to the work</a>
    <TopBar
      :has-practice="session.about.practice"
      :is-open="session.about.isOpen && session.view?.asksWho !== true"
      @keys="keysShown = true"
      @palette="paletteShown = true"
    />
    <p v-if="!onLine" class="offline" role="status">
      Keen Larder does not answer. What you see may be old; it reconnects by itself.
    </p>
    <ShelfBar />
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
    <KeySheet v-if="keysShown !== undefined" v-model="keysShown" />
    <CommandPalette
      v-if="paletteShown !== undefined"
      v-model="paletteShown"
      :has-practice="session.about.practice"
      @keys="keysShown = true"
    />
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
