import { storeToRefs } from 'pinia';
import { computed, watch } from 'vue';
import { useRoute } from 'vue-router';
import { useBench } from '../state/bench.ts';
import { useImports } from '../state/imports.ts';
import { useMoving } from '../state/apps/moving.ts';
import { useRuns } from '../state/runs.ts';

/** Pages on which something may be picked; on the others the tray would be empty. */
const pagesWithTray = new Set(['larder', 'copies', 'import', 'set', 'inside']);
const pagesOfPhones = new Set([
  'bench',
  'apps',
  'leftovers',
  'records',
  'shared',
  'move',
  'rescue',
  'bootloader',
]);

/** What the tray is about: it follows what is shown and picked in the middle. */
export function useInTray() {
  const route = useRoute();
  const bench = useBench();
  const runs = useRuns();
  const moving = useMoving();
  const imports = useImports();
  const { inTray: followed } = storeToRefs(runs);

  const page = computed(() => String(route.name));
  const serial = computed(() => (pagesOfPhones.has(page.value) ? String(route.params['serial'] ?? '') : ''));
  const setId = computed(() =>
    page.value === 'set' || page.value === 'inside'
      ? String(route.params['id'])
      : page.value === 'larder'
        ? String(route.query['set'] ?? '')
        : '',
  );
  const importId = computed(() => (page.value === 'import' ? String(route.params['id'] ?? '') : ''));
  const incoming = computed(() => {
    const found = importId.value ? imports.byId(importId.value) : undefined;
    return found?.state === 'ready' && found.images.length + found.copies.length > 0 ? found : undefined;
  });
  const phone = computed(() => bench.phone(serial.value));

  /** The run at work on this phone; of a move also that on the other one. */
  const atWork = computed(() => {
    const other = page.value === 'move' ? moving.draft(serial.value).to : undefined;
    return runs.ofPhone(serial.value) ?? (other ? runs.ofPhone(other) : undefined);
  });
  /** A run stays in the tray after its end until it is put aside. */
  watch(
    () => [serial.value, setId.value || importId.value, runs.live.map(({ id }) => id).join()] as const,
    ([phoneSerial, set], before) => {
      const moved = before && (before[0] !== phoneSerial || before[1] !== set);
      const live =
        (phoneSerial && atWork.value) || (set && runs.live.find((run) => run.setId === set)) || undefined;
      if (live) followed.value = live.id;
      else if (moved) followed.value = undefined;
    },
    { immediate: true },
  );
  const run = computed(() => (followed.value ? runs.byId[followed.value] : undefined));

  /** Whether there is anything for it to say. */
  const isThere = computed(
    () => run.value !== undefined || phone.value !== undefined || pagesWithTray.has(page.value),
  );

  return { page, serial, setId, incoming, phone, run, isThere, putAside: () => (followed.value = undefined) };
}
