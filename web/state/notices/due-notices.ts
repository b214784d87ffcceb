import { computed, watch } from 'vue';
import { useBench } from '../bench.ts';
import { useDesktop } from './desktop.ts';
import { useLarder } from '../larder.ts';
import { useRuns } from '../runs.ts';

/** Tells the desktop, where it is wanted, of each phone that comes onto the bench and is due, once for each time that it comes. */
export function useDueNotices(): void {
  const bench = useBench();
  const larder = useLarder();
  const runs = useRuns();
  const desktop = useDesktop();
  const due = computed(() =>
    bench.loaded && larder.loaded
      ? bench.phones.flatMap((phone) => {
          const why = phone.presence === 'here' && !runs.ofPhone(phone.serial) && larder.dueOf(phone);
          return why ? [{ phone, why }] : [];
        })
      : undefined,
  );
  watch(due, (now, before) => {
    // Those that were here already are seen by whoever opened the page.
    if (!now || !before) return;
    const known = new Set(before.map(({ phone }) => phone.serial));
    for (const { phone, why } of now) if (!known.has(phone.serial)) desktop.phoneDue(phone, why);
  });
}
