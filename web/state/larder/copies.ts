import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { CopyView, RecordsView } from '@keen-larder/contract/copies.ts';
import { recordKind } from '@keen-larder/core/records/kinds.ts';
import { api } from '../../api/client.ts';

/** A copy of an app or of personal records, as far as both are alike. */
export interface KeptCopy {
  readonly id: string;
  readonly kind: 'app' | 'records';
  readonly title: string;
  /** The package, or what records they are. */
  readonly detail: string;
  readonly version: string;
  readonly view: CopyView | RecordsView;
  readonly damage: readonly string[];
}

const damageOf = ({ parts }: CopyView | RecordsView): string[] => parts.flatMap(({ damage }) => damage ?? []);
const ofApp = (view: CopyView): KeptCopy => ({
  id: view.id,
  kind: 'app',
  title: view.app.label,
  detail: view.app.package,
  version: view.app.versionName ?? String(view.app.versionCode),
  view,
  damage: damageOf(view),
});
const ofRecords = (view: RecordsView): KeptCopy => ({
  id: view.id,
  kind: 'records',
  title: recordKind(view.records.kind).title,
  detail: 'personal records',
  version: '',
  view,
  damage: damageOf(view),
});

/** Every copy of apps and records, and what is picked among them. */
export const useCopies = defineStore('copies', () => {
  const all = shallowRef<readonly KeptCopy[]>([]);
  const loaded = ref(false);
  const error = ref<string>();
  const draft = ref({
    search: '',
    serial: '',
    kind: '',
    binShown: false,
    /** The copy that the tray tells about. */
    shown: undefined as string | undefined,
    picked: [] as string[],
  });
  let asked = 0;

  const kept = computed(() => all.value.filter(({ view }) => view.binnedAt === undefined));
  const binned = computed(() => all.value.filter(({ view }) => view.binnedAt !== undefined));
  const inTray = computed(() => all.value.find(({ id }) => id === draft.value.shown));

  /** Outside of the bin: what may be carried along. */
  const pickedOf = (kind: KeptCopy['kind']) =>
    kept.value.flatMap((each) => (each.kind === kind && draft.value.picked.includes(each.id) ? each.id : []));
  const pickedApps = computed(() => pickedOf('app'));
  const pickedRecords = computed(() => pickedOf('records'));

  async function load(): Promise<void> {
    const mine = ++asked;
    try {
      const [apps, records] = await Promise.all([api.appCopies(), api.recordCopies()]);
      if (mine !== asked) return;
      all.value = [...apps.map(ofApp), ...records.map(ofRecords)].sort(
        (a, b) => b.view.createdAt - a.view.createdAt,
      );
      const there = new Set(all.value.map(({ id }) => id));
      draft.value.picked = draft.value.picked.filter((id) => there.has(id));
      [loaded.value, error.value] = [true, undefined];
    } catch (failure) {
      if (mine === asked) error.value = (failure as Error).message;
    }
  }

  function toggle(id: string): void {
    const { picked } = draft.value;
    draft.value.picked = picked.includes(id) ? picked.filter((each) => each !== id) : [...picked, id];
  }

  /** Picks the newest copies that a run took of a phone's apps, to be carried along. @param since when the run began */
  async function pickTaken(serial: string, packages: readonly string[], since: number): Promise<void> {
    await load();
    const newest = new Map<string, string>();
    for (const { id, kind, detail, view } of kept.value)
      if (kind === 'app' && view.serial === serial && view.createdAt >= since && packages.includes(detail))
        if (!newest.has(detail)) newest.set(detail, id);
    Object.assign(draft.value, { picked: [...newest.values()], shown: undefined, serial: '', search: '' });
  }

  /** Something changed: what was looked at is asked for again. */
  async function refresh(): Promise<void> {
    if (loaded.value) await load();
  }

  return {
    ...{ all, kept, binned, inTray, pickedApps, pickedRecords, loaded, error, draft },
    ...{ load, toggle, pickTaken, refresh },
  };
});

/** Notes one, bins it, or takes it out of the bin. */
export const changeKept = (
  { id, kind }: Pick<KeptCopy, 'id' | 'kind'>,
  change: { note?: string; binned?: boolean },
): Promise<unknown> => (kind === 'app' ? api.changeCopy(id, change) : api.changeRecords(id, change));
