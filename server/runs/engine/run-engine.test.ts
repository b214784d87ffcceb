import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { openDatabase } from '../../database/open.ts';
import { returnStatements } from '../../database/returns.ts';
import { runStatements } from '../../database/runs.ts';
import { unfinishedStatements } from '../../database/unfinished.ts';
import { Feed, type FeedEvent } from '../../events/feed.ts';
import { RunEngine } from './run-engine.ts';
import { RunLedger } from './run-ledger.ts';
import { kindsOfRun } from '../kinds-of-run.ts';
import { RunFailure } from '../../failures.ts';
import type { Run, RunPlan } from './live-run.ts';

const plan: RunPlan = {
  kind: 'imaging',
  title: 'Keep two images',
  serial: 'X1',
  nickname: 'Ringing hut',
  mode: 'recovery',
  steps: [
    { text: 'Read efs', partition: 'efs', bytes: 100 },
    { text: 'Read boot', partition: 'boot', bytes: 300 },
  ],
};

let database: ReturnType<typeof openDatabase>;
let feed: Feed;
let engine: RunEngine;
let changed: string[];
let clock: number;
const make = () =>
  new RunEngine(
    new RunLedger(runStatements(database)),
    unfinishedStatements(database),
    returnStatements(database),
    kindsOfRun,
    feed,
    () => clock,
    (serial) => `nickname of ${serial}`,
    (serial) => changed.push(serial),
  );
beforeEach(() => {
  database = openDatabase(':memory:');
  feed = new Feed(1);
  changed = [];
  clock = 1000;
  vi.useFakeTimers({ toFake: ['performance'] });
  engine = make();
});

afterEach(() => void vi.useRealTimers());

/** A run that waits until it is told to go on. */
function held() {
  let go = () => {};
  const gate = new Promise<void>((resolve) => (go = resolve));
  return { gate, go };
}

const bothSteps = async (run: Run) => {
  await run.step(0, async (passed) => {
    passed(40);
    passed(60);
    vi.advanceTimersByTime(500);
    return Promise.resolve('SHA-256 abc');
  });
  await run.step(1, async (passed) => {
    passed(300);
    vi.advanceTimersByTime(1500);
    return Promise.resolve(undefined);
  });
  run.madeSet('set-1');
  return 'Two images.';
};

describe('a run', () => {
  it('goes through its steps, tells its bytes, and is kept with its log', async () => {
    const heard: FeedEvent[] = [];
    feed.listen((event) => heard.push(event));
    const { id, state } = engine.start(plan, bothSteps);
    expect(state).toBe('running');
    expect(engine.runOf('X1')).toBe(id);
    const ended = await engine.ended(id);
    expect(ended).toMatchObject({
      state: 'done',
      outcome: 'Two images.',
      setId: 'set-1',
      bytes: 400,
      doneBytes: 400,
      bytesPerSecond: 200,
      startedAt: 1000,
      endedAt: 3000,
      nickname: 'nickname of X1',
    });
    expect(ended.steps.map(({ state: each, result }) => [each, result])).toEqual([
      ['done', 'SHA-256 abc'],
      ['done', undefined],
    ]);
    expect(engine.logOf(id).map(({ seq, text }) => [seq, text])).toEqual([
      [1, 'Keep two images'],
      [2, 'Read efs'],
      [3, 'Read efs: SHA-256 abc'],
      [4, 'Read boot'],
      [5, 'Two images.'],
    ]);
    expect(heard.filter(({ name }) => name === 'run-log')).toHaveLength(5);
    expect(engine.runOf('X1')).toBeUndefined();
    expect(changed).toEqual(['X1', 'X1']);
  });

  it('took as long as it took, though the computer’s clock was set meanwhile', async () => {
    const { id } = engine.start(plan, async (run) => {
      vi.advanceTimersByTime(2000);
      clock -= 365 * 24 * 60 * 60 * 1000;
      return bothSteps(run);
    });
    await engine.ended(id);
    const { startedAt, endedAt } = engine.view(id);
    expect(endedAt! - startedAt).toBe(4000);
  });

  it('is alone on its phone, but not on the bench; the next one waits', async () => {
    const { gate, go } = held();
    const first = engine.start(plan, async () => (await gate, 'first'));
    const next = engine.start(plan, bothSteps);
    expect([first.state, next.state]).toEqual(['running', 'queued']);
    expect(() => engine.pause(next.id)).toThrow(/cannot be paused/);
    expect(engine.runOf('X1')).toBe(first.id);
    const other = engine.start({ ...plan, serial: 'X2' }, bothSteps);
    expect((await engine.ended(other.id)).state).toBe('done');
    go();
    expect((await engine.ended(first.id)).outcome).toBe('first');
    expect((await engine.ended(next.id)).state).toBe('done');
  });

  it('tells which sets it reads', async () => {
    const { gate, go } = held();
    const { id } = engine.start(
      { ...plan, kind: 'verifying', setId: 'set-9' },
      async () => (await gate, 'verified'),
    );
    expect([engine.uses('set-9')?.kind, engine.uses('set-8')]).toEqual(['verifying', undefined]);
    go();
    await engine.ended(id);
    expect(engine.uses('set-9')).toBeUndefined();
  });

  it('fails with the words of what went wrong, and says where', async () => {
    const { id } = engine.start(plan, async (run) => {
      await run.step(0, () => Promise.reject(new RunFailure('Check the cable.')));
      return 'never';
    });
    const ended = await engine.ended(id);
    expect(ended).toMatchObject({ state: 'failed', outcome: 'Check the cable.' });
    expect(ended.steps.map(({ state }) => state)).toEqual(['failed', 'waiting']);
    expect(engine.logOf(id).at(-1)).toMatchObject({ level: 'error', text: 'Check the cable.' });
  });

  it('puts the place of an error of our own into its log', async () => {
    const { id } = engine.start(plan, () => Promise.reject(new TypeError('x is not a function')));
    await engine.ended(id);
    expect(engine.logOf(id).at(-1)?.text).toMatch(/TypeError: x is not a function\n\s+at /);
  });

  it('is cancelled through its signal', async () => {
    const { id } = engine.start(plan, async (run) => {
      await run.step(
        0,
        () =>
          new Promise((_resolve, reject) =>
            run.signal.addEventListener('abort', () => reject(run.signal.reason as Error)),
          ),
      );
      return 'never';
    });
    await Promise.resolve();
    engine.cancel(id);
    expect(await engine.ended(id)).toMatchObject({
      state: 'cancelled',
      outcome: 'Cancelled. Nothing of it is in the larder.',
    });
    expect(() => engine.cancel(id)).toThrow(/ended already/);
    expect(() => engine.cancel('none')).toThrow(/no such run/);
  });

  it('that is cancelled while it writes says which partition is half written', async () => {
    const steps = [{ text: 'Write boot and compare', partition: 'boot', bytes: 9 }];
    const { id } = engine.start({ ...plan, kind: 'restoring', steps }, async (run) => {
      await run.step(0, async () => {
        engine.cancel(id);
        await Promise.resolve();
        run.signal.throwIfAborted();
        return undefined;
      });
      return 'never';
    });
    expect((await engine.ended(id)).outcome).toMatch(/boot was written: it is half written/);
  });

  it('tells how long is left while it runs', async () => {
    const { gate, go } = held();
    const { id } = engine.start(plan, async (run) => {
      await run.step(0, async (passed) => {
        passed(100);
        await gate;
        return undefined;
      });
      return 'done';
    });
    await Promise.resolve();
    await Promise.resolve();
    const view = engine.view(id);
    expect(view.doneBytes).toBe(100);
    expect(view.leftMs).toBeCloseTo((300 / view.bytesPerSecond) * 1000);
    expect(engine.list()[0]).toMatchObject({ id, state: 'running' });
    go();
    await engine.ended(id);
    expect(engine.view(id).leftMs).toBeUndefined();
  });

  it('does not take a spell in which hardly anything passes for the whole of what is left', async () => {
    const { gate, go } = held();
    const { id } = engine.start(plan, async (run) => {
      await run.step(0, async (passed) => {
        passed(99);
        vi.advanceTimersByTime(10_000);
        passed(1);
        vi.advanceTimersByTime(4000);
        await gate;
        return undefined;
      });
      return 'done';
    });
    await Promise.resolve();
    await Promise.resolve();
    // 100 bytes so far in 14 s: 300 are left.
    expect(engine.view(id).leftMs).toBeLessThan(2 * 42_000);
    go();
    await engine.ended(id);
  });
});

describe('after the program was killed', () => {
  it.each([
    ['imaging', /in the middle of this run at “Read efs”. Nothing of it is in the larder/],
    ['restoring', /efs may be half written: put it back again/],
    ['verifying', /Start it again/],
  ] as const)('a run of %s is called interrupted and says what follows', async (kind, words) => {
    const { gate, go } = held();
    const { id } = engine.start({ ...plan, kind }, async (run) => {
      await run.step(0, async () => (await gate, undefined));
      return 'x';
    });
    await Promise.resolve();
    // Another start of the program on the same catalogue.
    clock = 9000;
    const next = make();
    const [interrupted] = next.closeInterrupted();
    expect(interrupted).toMatchObject({ id, state: 'interrupted', endedAt: 9000 });
    expect(interrupted!.outcome).toMatch(words);
    expect(interrupted!.steps[0]!.state).toBe('failed');
    expect(next.logOf(id).at(-1)?.level).toBe('error');
    expect(next.closeInterrupted()).toEqual([]);
    go();
    await engine.ended(id);
  });
});

it('stops all runs at the end of the program, which nobody has cancelled', async () => {
  const wait = async (run: Run) => {
    await new Promise((_resolve, reject) =>
      run.signal.addEventListener('abort', () => reject(run.signal.reason as Error)),
    );
    return 'never';
  };
  const ids = ['X1', 'X2'].map((serial) => engine.start({ ...plan, serial }, wait).id);
  const queued = engine.start({ ...plan, serial: 'X1' }, wait).id;
  await Promise.resolve();
  await engine.stop();
  const behind = { state: 'interrupted', outcome: expect.stringMatching(/before this run began/) as string };
  const outcome = expect.stringMatching(/ended in the middle of this run.*Start it again/) as string;
  expect(engine.view(ids[0]!)).toMatchObject({ state: 'interrupted', outcome });
  expect(engine.view(ids[1]!)).toMatchObject({ state: 'interrupted', outcome });
  expect(engine.view(queued)).toMatchObject(behind);
});
