<script setup lang="ts">
import { useTitle } from '@vueuse/core';
import { PanelLeft, PanelRight } from 'lucide-vue-next';
import { computed, nextTick, ref, useTemplateRef } from 'vue';
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
import { useInTray } from '../tray/in-tray.ts';
import { useDrawers } from './drawers.ts';
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
const inTray = useInTray();
const { isNarrow, drawer, toggle } = useDrawers();
const keysShown = ref<boolean>();
/** Undefined until it is wanted for the first time. */
const paletteShown = ref<boolean>();
useGlobalKeys({
  showSheet: () => (keysShown.value = true),
  showPalette: () => (paletteShown.value = true),
  go: (path) => void router.push(path),
});

/** Where what had the keyboard is gone with the page before, it goes on in the work. */
const work = useTemplateRef<HTMLElement>('work');
router.afterEach(async (to, from, failure) => {
  if (failure || to.path === from.path) return;
  await nextTick();
  if (document.activeElement === document.body) work.value?.focus({ preventScroll: true });
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
    <div class="zones" :class="{ narrow: isNarrow, alone: !inTray.isThere.value }">
      <BayRail v-show="!isNarrow || drawer === 'rail'" id="rail" :class="{ drawer: isNarrow }" />
      <div class="middle">
        <main id="work" ref="work" tabindex="-1">
          <RouterView />
        </main>
        <NoticeStack />
      </div>
      <TheTray
        v-if="inTray.isThere.value"
        v-show="!isNarrow || drawer === 'tray'"
        id="tray"
        :in-tray="inTray"
        :class="{ drawer: isNarrow }"
      />
    </div>
    <nav v-if="isNarrow" class="foot" aria-label="Drawers">
      <button type="button" aria-controls="rail" :aria-expanded="drawer === 'rail'" @click="toggle('rail')">
        <PanelLeft :size="17" aria-hidden="true" /> Phones
      </button>
      <button
        v-if="inTray.isThere.value"
        type="button"
        aria-controls="tray"
        :aria-expanded="drawer === 'tray'"
        @click="toggle('tray')"
      >
        Tray <PanelRight :size="17" aria-hidden="true" />
      </button>
    </nav>
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
  --rail-width: 224px;
  --tray-width: 316px;

  flex: 1;
  display: grid;
  grid-template-columns: var(--rail-width) minmax(0, 1fr) var(--tray-width);
  min-height: 0;
}

.zones.alone {
  grid-template-columns: var(--rail-width) minmax(0, 1fr);
}

.zones.narrow {
  position: relative;
  grid-template-columns: minmax(0, 1fr);
}

.drawer {
  position: absolute;
  z-index: 5;
  top: 0;
  bottom: 0;
  width: min(340px, 88vw);
  background: var(--panel);
  box-shadow: 0 0 0 100vw rgb(0 0 0 / 32%);
}

.drawer#rail {
  left: 0;
}

.drawer#tray {
  right: 0;
}

.foot {
  display: flex;
  justify-content: space-between;
  border-top: 1px solid var(--rule-strong);
  background: var(--panel);
}

.foot button {
  display: inline-flex;
  align-items: center;
  gap: 7px;
  min-height: 44px;
  padding: 0 16px;
  border: 0;
  background: none;
  color: var(--ink);
  font-weight: 600;
  cursor: pointer;
}

.foot [aria-expanded='true'] {
  background: var(--card);
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
    --rail-width: 180px;
    --tray-width: 276px;
  }

  main {
    padding: 14px 14px 24px;
  }
}

@media (min-width: 1700px) {
  .zones {
    --rail-width: 264px;
    --tray-width: 372px;
  }
}

@media (min-width: 2300px) {
  .zones {
    --rail-width: 320px;
    --tray-width: 460px;
  }
}
</style>
