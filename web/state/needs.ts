import { useIntervalFn } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import type { HalfWrittenView } from '@keen-larder/contract/runs.ts';
import { connectionWords } from '@keen-larder/core/phone/connections.ts';
import { needsOf, type NeedFacts } from '@keen-larder/core/phone/needs.ts';
import { api } from '../api/client.ts';
import { useBench } from './bench.ts';
import { useConnections } from './connections.ts';
import { useLarder } from './larder.ts';
import { useOffsite } from './larder/offsite.ts';
import { announceError } from './notices/notices.ts';
import { useRuns } from './runs.ts';

/** What needs hands now, by everything that is known. */
export const useNeeds = defineStore('needs', () => {
  const bench = useBench();
  const connections = useConnections();
  const larder = useLarder();
  const offsite = useOffsite();
  const runs = useRuns();
  const halfWritten = shallowRef<readonly HalfWrittenView[]>([]);
  const now = ref(Date.now());
  useIntervalFn(() => (now.value = Date.now()), 60_000);

  const facts = computed((): NeedFacts => {
    const { shelf, loaded, sets } = larder;
    return {
      phones: bench.phones.map((phone) => ({
        ...{ serial: phone.serial, nickname: phone.nickname, presence: phone.presence },
        due: larder.dueOf(phone),
        isNew: loaded && phone.presence === 'here' && phone.newestSetAt === undefined,
      })),
      runs: runs.list,
      halfWritten: halfWritten.value,
      waiting: connections.waiting.map(({ address, state }) => ({
        address,
        ...connectionWords(state, connections.view?.fingerprint ?? ''),
      })),
      damaged: sets.filter(({ damaged }) => damaged),
      shelf: shelf && {
        isLocked: shelf.seal === 'locked',
        absence: shelf.absence,
        freeBytes: shelf.freeBytes,
        totalBytes: shelf.totalBytes,
      },
      offsite: offsite.inUse.map((view) => ({
        ...{ copy: view.copy, isLocked: view.state === 'locked' },
        missing: view.keptCount - view.offsiteCount,
        isAway: view.isAway,
        fault: view.fault,
      })),
    };
  });
  const list = computed(() => (bench.loaded && runs.loaded ? needsOf(facts.value, now.value) : undefined));

  const load = () =>
    Promise.all([api.halfWritten().then((found) => (halfWritten.value = found)), offsite.load()]).catch(
      announceError,
    );
  // What is half written changes as runs begin and end.
  watch(() => runs.live.map(({ id }) => id).join(), load);

  return { list, load };
});
