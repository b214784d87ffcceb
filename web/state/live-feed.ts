import { useLocalStorage } from '@vueuse/core';
import { onBeforeUnmount, onMounted, ref, type Ref } from 'vue';
import { useRouter } from 'vue-router';
import { isLive } from '@keen-larder/contract/runs.ts';
import { api } from '../api/client.ts';
import { followEvents } from '../api/events.ts';
import { useBench } from './bench.ts';
import { useConnections } from './connections.ts';
import { useCopies } from './larder/copies.ts';
import { useDesktop } from './notices/desktop.ts';
import { useImports } from './imports.ts';
import { useJobs } from './jobs.ts';
import { useLarder } from './larder.ts';
import { announceError, nowDone, useNotices, workOf } from './notices/notices.ts';
import { useOffsite } from './larder/offsite.ts';
import { useRuns } from './runs.ts';
import { useSession } from './session.ts';

/** Hands the server's news to the stores while the application is shown; tells whether the server answers. */
export function useLiveFeed(): { onLine: Ref<boolean> } {
  const bench = useBench();
  const larder = useLarder();
  const copies = useCopies();
  const imports = useImports();
  const jobs = useJobs();
  const connections = useConnections();
  const runs = useRuns();
  const notices = useNotices();
  const desktop = useDesktop();
  const router = useRouter();
  const session = useSession();
  const onLine = ref(true);
  const offsite = useOffsite();

  const loadAll = () =>
    Promise.all([
      ...[bench.load(), larder.load(), runs.load(), imports.load(), connections.load(), jobs.load()],
    ]).catch(announceError);

  /** Goes on with a run, and shows it. */
  const resume = (id: string) =>
    void api.resume(id).then((run) => {
      runs.take(run);
      nowDone();
      return router.push(`/runs/${run.id}`);
    }, announceError);

  /** What this start of the program found broken off is told once to each browser. */
  const toldOf = useLocalStorage('keen-larder-told-of-start', 0);
  async function greet(startedAt: number): Promise<void> {
    await loadAll();
    if (toldOf.value === startedAt) return;
    for (const run of runs.interruptedBy(startedAt)) notices.runEnded(run, resume);
    toldOf.value = startedAt;
  }

  let stop = () => {};
  onMounted(() => {
    stop = followEvents(
      {
        hello: ({ startedAt }) => void greet(startedAt),
        phone: (phone) => bench.take(phone),
        run: (run) => {
          if (isLive(run)) notices.isOver(workOf(run));
          if (!runs.take(run)) return;
          desktop.runEnded(run);
          if (run.id !== runs.inTray) notices.runEnded(run, resume);
        },
        'run-log': ({ runId, line }) => runs.takeLine(runId, line),
        larder: () => void larder.load(),
        copies: () => void copies.refresh(),
        offsite: () => void offsite.refresh().catch(announceError),
        imports: () => void imports.load(),
        jobs: () => void jobs.load().catch(announceError),
        connections: () => void connections.load(),
      },
      (isOpen) => {
        // It may have ended with the session.
        if (!isOpen && onLine.value) void session.load();
        onLine.value = isOpen;
      },
    );
  });
  onBeforeUnmount(() => stop());
  return { onLine };
}
