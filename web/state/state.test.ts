// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { RunLogLine } from '@keen-larder/contract/runs.ts';
import type { ShelfView } from '@keen-larder/contract/sets.ts';
import { answering, emptyStores, partitions, phone, run, serial, set } from '../testing/stage.ts';
import { createPinia, setActivePinia } from 'pinia';
import { nextTick } from 'vue';
import { useBench } from './bench.ts';
import { useDesktop } from './notices/desktop.ts';
import { useDueNotices } from './notices/due-notices.ts';
import { useLarder } from './larder.ts';
import { announceError, nowDone, useNotices, workOf } from './notices/notices.ts';
import { usePicks } from './picks.ts';
import { useRuns } from './runs.ts';

beforeEach(emptyStores);

/** A server that answers when it is told to. */
function slowly(value: unknown): () => void {
  const waiting: (() => void)[] = [];
  vi.stubGlobal(
    'fetch',
    () =>
      new Promise<Response>((resolve) => {
        waiting.push(() => resolve(new Response(JSON.stringify(value))));
      }),
  );
  return () => waiting.forEach((answer) => answer());
}

describe('the bench', () => {
  it('does not lose what it hears while it loads: the snapshot is older', async () => {
    const answer = slowly([phone({ serial: 'AA-1' })]);
    const bench = useBench();
    const loading = bench.load();
    bench.take(phone({ nickname: 'arrived meanwhile' }));
    bench.take(phone({ serial: 'AA-1', presence: 'looping' }));
    answer();
    await loading;
    expect(bench.phones.map(({ serial: each, presence }) => [each, presence])).toEqual([
      ['AA-1', 'looping'],
      [serial, 'here'],
    ]);
  });

  it('takes news of phones it knows and of new ones', async () => {
    answering({ 'GET /phones': [phone()] });
    const bench = useBench();
    await bench.load();
    bench.take(phone({ presence: 'away' }));
    bench.take(phone({ serial: 'AA-1', nickname: 'North hide', presence: 'looping' }));
    expect(bench.present.map(({ serial: each }) => each)).toEqual(['AA-1']);
    expect(bench.away.map(({ serial: each }) => each)).toEqual([serial]);
    expect(bench.phone('AA-1')?.nickname).toBe('North hide');
  });

  it('keeps partitions by phone, and why they could not be read', async () => {
    answering({ [`GET /phones/${serial}/partitions`]: partitions });
    const bench = useBench();
    await bench.loadPartitions(serial);
    expect(bench.partitions[serial]).toHaveLength(partitions.length);
    answering({ [`GET /phones/${serial}/partitions`]: new Error('Restart into recovery.') });
    await bench.loadPartitions(serial);
    expect(bench.partitionsError[serial]).toBe('Restart into recovery.');
    answering({ [`GET /phones/${serial}/partitions`]: partitions });
    await bench.loadPartitions(serial);
    expect(bench.partitionsError[serial]).toBeUndefined();
  });
});

describe('the larder', () => {
  it('tells sets from those in the bin, and when something changed', async () => {
    answering({ 'GET /sets': [set(), set({ id: 's2', binnedAt: 5 })], 'GET /shelf': { freeBytes: 9 } });
    const larder = useLarder();
    await larder.load();
    expect(larder.sets.map(({ id }) => id)).toEqual(['s1']);
    expect(larder.binned.map(({ id }) => id)).toEqual(['s2']);
    // An answer that was overtaken does not come back over a newer one.
    const late = slowly([]);
    const overtaken = larder.load();
    answering({ 'GET /sets': [set({ id: 'newest' })], 'GET /shelf': { freeBytes: 8 } });
    await larder.load();
    late();
    await overtaken;
    expect(larder.sets.map(({ id }) => id)).toEqual(['newest']);
    const { version } = larder;
    await larder.load();
    expect(larder.version).toBe(version + 1);
  });
});

describe('runs', () => {
  const line = (seq: number): RunLogLine => ({ seq, at: seq, level: 'info', text: `line ${seq}` });

  it('are listed newest first; one that ends says so once', async () => {
    answering({ 'GET /runs': [run({ id: 'old', startedAt: 1, state: 'done' }), run()] });
    const runs = useRuns();
    await runs.load();
    expect(runs.list.map(({ id }) => id)).toEqual(['r1', 'old']);
    expect(runs.ofPhone(serial)?.id).toBe('r1');
    expect(runs.take(run({ doneBytes: 200 }))).toBe(false);
    expect(runs.take(run({ state: 'done' }))).toBe(true);
    expect(runs.take(run({ state: 'done' }))).toBe(false);
    expect(runs.live).toEqual([]);
  });

  it('do not go back to running when their end is heard while they load', async () => {
    const answer = slowly([run()]);
    const runs = useRuns();
    const loading = runs.load();
    runs.take(run({ state: 'done' }));
    answer();
    await loading;
    expect(runs.byId['r1']?.state).toBe('done');
    expect(runs.live).toEqual([]);
  });

  it('do not go back to running when the answer to their start comes after their end', () => {
    const runs = useRuns();
    runs.take(run({ state: 'done' }));
    expect(runs.take(run({ state: 'queued' }))).toBe(false);
    expect(runs.byId['r1']?.state).toBe('done');
  });

  it('lose no line of a log, though lines come while the past ones are fetched', async () => {
    let answer = (_lines: RunLogLine[]) => {};
    vi.stubGlobal(
      'fetch',
      () =>
        new Promise<Response>((resolve) => {
          answer = (lines) => resolve(new Response(JSON.stringify(lines)));
        }),
    );
    const runs = useRuns();
    const loading = runs.loadLog('r1');
    await flushPromises();
    runs.takeLine('r1', line(3));
    runs.takeLine('r1', line(4));
    answer([line(1), line(2), line(3)]);
    await loading;
    runs.takeLine('r1', line(5));
    runs.takeLine('r1', line(5));
    expect(runs.logs['r1']!.map(({ seq }) => seq)).toEqual([1, 2, 3, 4, 5]);
  });

  it('keep no log of what nobody looks at', () => {
    const runs = useRuns();
    runs.takeLine('r7', line(1));
    expect(runs.logs['r7']).toBeUndefined();
  });
});

describe('picks', () => {
  it('are kept by phone and by set, and lose their ticks with every change', () => {
    const store = usePicks();
    const picks = store.forPhone(serial);
    picks.confirmed = ['battery'];
    store.toggle(picks, 'boot');
    expect(picks).toMatchObject({ picked: ['boot'], confirmed: [] });
    store.toggle(picks, 'efs');
    store.toggle(picks, 'boot');
    expect(store.forPhone(serial).picked).toEqual(['efs']);
    expect(store.forPhone('other').picked).toEqual([]);
    expect(store.forSet('s1')).toMatchObject({ picked: [], restartAfter: true, armedWith: '' });
  });
});

describe('notices', () => {
  it('go by themselves when all is well, and stay when it is not', () => {
    vi.useFakeTimers();
    const notices = useNotices();
    notices.runEnded(run({ state: 'done', outcome: 'Two images.' }));
    notices.runEnded(run({ state: 'failed', outcome: 'Check the cable.' }));
    announceError(new Error('Not possible now.'));
    expect(notices.list.map(({ kind, title }) => [kind, title])).toEqual([
      ['good', 'Done'],
      ['stop', 'Did not succeed'],
      ['stop', 'Not done'],
    ]);
    vi.advanceTimersByTime(60_000);
    expect(notices.list.map(({ title }) => title)).toEqual(['Did not succeed', 'Not done']);
    notices.putAside(notices.list[0]!.id);
    expect(notices.list).toHaveLength(1);
    vi.useRealTimers();
  });

  it('do not pile up', () => {
    for (let n = 0; n < 9; n++) announceError(new Error(`fault ${n}`));
    expect(useNotices().list.map(({ message }) => message)).toEqual([
      'fault 5',
      'fault 6',
      'fault 7',
      'fault 8',
    ]);
  });
});

describe('notices that are about something', () => {
  it('offer to resume what can be, and go away when it goes on', () => {
    const notices = useNotices();
    const resumed: string[] = [];
    const broken = run({ state: 'interrupted', canResume: true, outcome: 'Resume it.' });
    notices.runEnded(broken, (id) => resumed.push(id));
    notices.runEnded(run({ id: 'other', title: 'Another run', state: 'failed' }), () => undefined);
    expect(notices.list.map(({ action }) => action?.text)).toEqual(['Resume', undefined]);
    notices.list[0]!.action!.run();
    expect(resumed).toEqual([broken.id]);
    notices.isOver(workOf({ ...broken, id: 'goes on', state: 'running' }));
    expect(notices.list.map(({ title }) => title)).toEqual(['Did not succeed']);
  });

  it('say what was not done until it was', () => {
    announceError(new Error('It is in use.'));
    expect(useNotices().list).toHaveLength(1);
    nowDone();
    expect(useNotices().list).toHaveLength(0);
  });
});

describe('notices of the desktop', () => {
  const shown: { title: string; body: string }[] = [];
  const withDesktop = (permission: NotificationPermission, hidden: boolean) => {
    shown.length = 0;
    class Desktop {
      static permission = permission;
      static requestPermission = () => Promise.resolve(permission);
      onclick: unknown;
      constructor(title: string, { body }: { body: string }) {
        shown.push({ title, body });
      }
    }
    vi.stubGlobal('Notification', Desktop);
    vi.spyOn(document, 'hidden', 'get').mockReturnValue(hidden);
    localStorage.clear();
    setActivePinia(createPinia());
    return useDesktop();
  };
  const ended = run({ state: 'done', outcome: '2 images.' });

  it('tell those who walked away, when they are wanted and allowed', async () => {
    const desktop = withDesktop('granted', true);
    desktop.runEnded(ended);
    expect(shown).toEqual([]);
    await desktop.want('runs', true);
    desktop.runEnded(ended);
    expect(shown).toEqual([
      { title: expect.stringMatching(/: done$/) as string, body: `${ended.title}. 2 images.` },
    ]);
  });

  it('are not wanted where the browser does not allow them, and not needed by who looks', async () => {
    const refused = withDesktop('denied', true);
    await refused.want('runs', true);
    expect(refused.wantsRuns).toBe(false);
    const looking = withDesktop('granted', false);
    await looking.want('runs', true);
    looking.runEnded(ended);
    expect(shown).toEqual([]);
  });

  it('tell of a phone that is due when it comes, and not of those that were there', async () => {
    const desktop = withDesktop('granted', true);
    await desktop.want('due', true);
    const bench = useBench();
    const larder = useLarder();
    mount({ setup: () => (useDueNotices(), () => undefined) });
    const kept = set({ serial: 'A', createdAt: Date.now() - 9.5 * 86_400_000 });
    const here = (serial: string, presence: PhoneView['presence']) =>
      bench.take(phone({ serial, nickname: `phone ${serial}`, presence }));
    larder.$patch({
      all: [kept, { ...kept, id: 'b', serial: 'B' }],
      shelf: { dueDays: 7 } as ShelfView,
      loaded: true,
    });
    here('A', 'here');
    here('B', 'away');
    bench.loaded = true;
    await nextTick();
    expect(shown).toEqual([]);
    here('B', 'here');
    await nextTick();
    here('A', 'here');
    await nextTick();
    expect(shown).toEqual([{ title: 'phone B is due', body: 'Keep it while it is here: kept 9 days ago.' }]);
  });
});
