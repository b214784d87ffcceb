import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import { isLive, type RunLogLine, type RunView } from '@keen-larder/contract/runs.ts';
import { api } from '../api/client.ts';
import { newsKeeper } from './news.ts';

/** Between marking what was broken off and being ready. */
const startMs = 60_000;

/** Runs, live and past, and the logs of those that were looked at. */
export const useRuns = defineStore('runs', () => {
  const byId = shallowRef<Readonly<Record<string, RunView>>>({});
  const logs = ref<Record<string, RunLogLine[]>>({});
  const loaded = ref(false);
  const news = newsKeeper<RunView>(({ id }) => id);
  /** The run whose course and end the tray shows. */
  const inTray = ref<string>();

  const list = computed(() => Object.values(byId.value).sort((a, b) => b.startedAt - a.startedAt));
  const live = computed(() => list.value.filter(isLive));

  async function load(): Promise<void> {
    byId.value = Object.fromEntries(await news.load(api.runs));
    await Promise.all(Object.keys(logs.value).map(loadLog));
    loaded.value = true;
  }

  /**
   * Takes news of a run; answers whether it has just ended. What has ended stays so: the answer to starting
   * a short run may come after the news of its end.
   */
  function take(run: RunView): boolean {
    const before = byId.value[run.id];
    if (before && !isLive(before) && isLive(run)) return false;
    news.hear(run);
    byId.value = { ...byId.value, [run.id]: run };
    return before !== undefined && isLive(before) && !isLive(run);
  }

  function takeLine(runId: string, line: RunLogLine): void {
    const log = logs.value[runId];
    if (log && (log.at(-1)?.seq ?? 0) < line.seq) log.push(line);
  }

  async function loadLog(id: string): Promise<void> {
    // Lines that come while the past ones are fetched are kept and follow them.
    const log = (logs.value[id] ??= []);
    const past = await api.runLog(id);
    const newest = past.at(-1)?.seq ?? 0;
    logs.value[id] = [...past, ...log.filter(({ seq }) => seq > newest)];
  }

  /** The run under way on a phone. */
  const ofPhone = (serial: string) =>
    live.value.find((run) => run.serial === serial && run.state !== 'queued');

  /** Runs that the start of the program at this time found broken off. */
  const interruptedBy = (startedAt: number) =>
    list.value.filter(
      ({ state, endedAt }) => state === 'interrupted' && Math.abs((endedAt ?? 0) - startedAt) < startMs,
    );

  return { byId, logs, loaded, inTray, list, live, load, take, takeLine, loadLog, ofPhone, interruptedBy };
});
