import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { RunLogLine, RunView } from '@keen-larder/contract/runs.ts';
import { api } from '../api/client.ts';

/** Runs, live and past, and the logs of those that were looked at. */
export const useRuns = defineStore('runs', () => {
  const byId = shallowRef<Readonly<Record<string, RunView>>>({});
  const logs = ref<Record<string, RunLogLine[]>>({});
  const loaded = ref(false);

  const list = computed(() => Object.values(byId.value).sort((a, b) => b.startedAt - a.startedAt));
  const live = computed(() => list.value.filter(({ state }) => state === 'running'));

  async function load(): Promise<void> {
    byId.value = Object.fromEntries((await api.runs()).map((run) => [run.id, run]));
    for (const id of Object.keys(logs.value)) await loadLog(id);
    loaded.value = true;
  }

  /** Takes news of a run; answers whether it has just ended. */
  function take(run: RunView): boolean {
    const before = byId.value[run.id]?.state;
    byId.value = { ...byId.value, [run.id]: run };
    return before === 'running' && run.state !== 'running';
  }

  function takeLine(runId: string, line: RunLogLine): void {
    const log = logs.value[runId];
    if (log && (log.at(-1)?.seq ?? 0) < line.seq) log.push(line);
  }

  async function loadLog(id: string): Promise<void> {
    logs.value[id] = await api.runLog(id);
  }

  /** The run under way on a phone. */
  const ofPhone = (serial: string) => live.value.find((run) => run.serial === serial);

  return { byId, logs, loaded, list, live, load, take, takeLine, loadLog, ofPhone };
});
