import { onKeyStroke, useMediaQuery } from '@vueuse/core';
import { nextTick, ref, watch } from 'vue';
import { useRoute } from 'vue-router';

/** Below this, rail and tray lie over the work: at 640 CSS pixels, or at twice the size on a usual screen. */
const narrow = '(max-width: 900px)';

export type Drawer = 'rail' | 'tray';

/** Where there is no room for three zones beside each other, rail and tray are drawers, of which one is open at a time. */
export function useDrawers() {
  const route = useRoute();
  const isNarrow = useMediaQuery(narrow);
  const drawer = ref<Drawer>();

  async function toggle(which: Drawer): Promise<void> {
    drawer.value = drawer.value === which ? undefined : which;
    await nextTick();
    const inside = drawer.value && document.getElementById(drawer.value);
    inside?.querySelector<HTMLElement>('a, button, input, [tabindex="0"]')?.focus();
  }

  // Who chose a phone wants to see it.
  watch(
    () => route.fullPath,
    () => (drawer.value = undefined),
  );
  onKeyStroke('Escape', () => {
    const closed = drawer.value;
    drawer.value = undefined;
    document.querySelector<HTMLElement>(`[aria-controls="${closed}"]`)?.focus();
  });
  return { isNarrow, drawer, toggle };
}
