import type { RunKind, RunLogLine, RunState, RunStep, RunView } from '@keen-larder/contract/runs.ts';
import type { RunRow } from '../../database/runs.ts';
import type { ReturnStatements } from '../../database/returns.ts';
import type { UnfinishedStatements } from '../../database/unfinished.ts';
import type { Feed } from '../../events/feed.ts';
import { Cancelled, Interruption, plainWords, Problem, traitsOf } from '../../failures.ts';
import type { KindsOfRun } from './kind-of-run.ts';
import type { RunLedger } from './run-ledger.ts';
import { LiveRun, shownSpeed, type Run, type RunListener, type RunPlan } from './live-run.ts';

type Work = (run: Run) => Promise<string>;

const announceMs = 250;
/** A run that was cancelled and has not ended by then is held up by its phone. */
const heldUpMs = 2500;

/** Starts runs, one a phone at a time with a queue behind it, follows their progress, and keeps their story. */
export class RunEngine implements RunListener {
  private readonly live = new Map<string, LiveRun>();
  private readonly endings = new Map<string, Promise<void>>();
  /** Runs of which something is not in the catalogue yet. */
  private readonly unwritten = new Set<LiveRun>();
  private stopping = false;

  constructor(
    private readonly ledger: RunLedger,
    private readonly unfinished: Pick<UnfinishedStatements, 'plan' | 'drop'>,
    private readonly returns: Pick<ReturnStatements, 'hasProof'>,
    private readonly kinds: KindsOfRun,
    private readonly feed: Feed,
    private readonly now: () => number,
    private readonly nicknameOf: (serial: string) => string,
    private readonly onPhoneChange: (serial: string) => void,
    /** Breaks the connection to a phone off, so that nothing waits for it any more. */
    private readonly letGo: (serial: string) => void = () => undefined,
  ) {}

  /** Marks runs that an earlier start of the program did not end; resolves to what to tell. */
  closeInterrupted(): RunView[] {
    return this.ledger.unfinished().map((row) => {
      const detail = JSON.parse(row.detail) as { steps: RunStep[] };
      const at = detail.steps.find(({ state }) => state === 'running');
      const outcome = `Keen Larder ended in the middle of this run${at ? ` at “${at.text}”` : ''}. ${this.leftOver(row, at)}`;
      const steps = detail.steps.map((step) =>
        step.state === 'running' ? { ...step, state: 'failed' as const } : step,
      );
      this.ledger.save({
        ...row,
        state: 'interrupted',
        endedAt: this.now(),
        outcome,
        detail: JSON.stringify({ ...detail, steps }),
      });
      this.ledger.addLine(row.id, {
        seq: this.ledger.lastSeq(row.id) + 1,
        at: this.now(),
        level: 'error',
        text: outcome,
      });
      return this.view(row.id);
    });
  }

  /**
   * Starts a run, or queues it behind the one under way on the same phone. A run that is queued begins
   * only when the one before it ended well: what it builds on may otherwise not be there.
   */
  start(plan: RunPlan, work: Work): RunView {
    const run = new LiveRun(plan, this.now, this);
    const before = plan.serial ? [...this.ofPhone(plan.serial)].at(-1) : undefined;
    if (!before) run.begin();
    this.live.set(run.id, run);
    this.log(run, plan.title, 'info');
    this.endings.set(run.id, this.follow(run, before, work));
    this.changed(run);
    if (plan.serial) this.onPhoneChange(plan.serial);
    return this.viewOf(run);
  }

  /** @throws Problem when there is no such run or it has ended */
  cancel(id: string): RunView {
    const run = this.liveRun(id);
    this.abort(run);
    return this.viewOf(run);
  }

  /** @throws Problem when the run has ended or cannot be paused */
  pause(id: string): RunView {
    const run = this.liveRun(id);
    if (!run.plan.canPause || run.state === 'queued')
      throw new Problem(409, 'This run cannot be paused. It can be cancelled.');
    if (!run.isPausing) run.pause();
    return this.viewOf(run);
  }

  /** @throws Problem when the run has ended or is not paused */
  continue(id: string): RunView {
    const run = this.liveRun(id);
    if (!run.isPausing) throw new Problem(409, 'This run is not paused.');
    run.continue();
    return this.viewOf(run);
  }

  /** The run that works on a phone; those queued behind it do not. */
  runOf(serial: string): string | undefined {
    return [...this.ofPhone(serial)].find(({ state }) => state !== 'queued')?.id;
  }

  /** The run that is under way or queued and reads this set or copy. */
  uses(id: string): RunPlan | undefined {
    for (const { plan } of this.live.values()) {
      if (plan.setId === id || plan.alsoReads?.includes(id)) return plan;
    }
    return undefined;
  }

  list(): RunView[] {
    return this.ledger
      .recent()
      .map((row) => (this.live.has(row.id) ? this.viewOf(this.live.get(row.id)!) : this.past(row)));
  }

  /** @throws Problem 404 */
  view(id: string): RunView {
    const run = this.live.get(id);
    if (run) return this.viewOf(run);
    const row = this.ledger.one(id);
    if (!row) throw new Problem(404, 'There is no such run.');
    return this.past(row);
  }

  logOf(id: string): RunLogLine[] {
    this.view(id);
    return this.ledger.log(id);
  }

  /**
   * Removes past runs and their logs, but for those with a proof and those that can be resumed.
   * @param before a time, in milliseconds since 1970
   * @param isWanted further ones that stay
   * @returns how many went
   */
  clear(before: number, isWanted: (run: { serial: string | null; startedAt: number }) => boolean): number {
    const gone = this.ledger
      .ended(before)
      .filter((run) => !this.returns.hasProof(run.id) && !this.canResume(run.id) && !isWanted(run));
    this.ledger.remove(gone.map(({ id }) => id));
    return gone.length;
  }

  /** Resolves when a run has ended. */
  async ended(id: string): Promise<RunView> {
    await this.endings.get(id);
    return this.view(id);
  }

  /** Ends all runs; what can go on later is left so that it can. */
  async stop(): Promise<void> {
    this.stopping = true;
    for (const run of this.live.values()) this.abort(run);
    await Promise.all(this.endings.values());
  }

  log(run: LiveRun, text: string, level: RunLogLine['level']): void {
    const line = { seq: ++run.seq, at: this.now(), level, text };
    // The run's row must be there first.
    if (line.seq === 1) this.ledger.save(run.row());
    this.ledger.addLine(run.id, line);
    this.feed.send('run-log', { runId: run.id, line });
  }

  changed(run: LiveRun, when: 'now' | 'soon' = 'now'): void {
    this.feed.send('run', this.viewOf(run));
    if (when === 'now') return this.writeDown(run);
    this.unwritten.add(run);
    setImmediate(() => this.unwritten.has(run) && this.writeDown(run));
  }

  private writeDown(run: LiveRun): void {
    this.unwritten.delete(run);
    this.ledger.save(run.row());
  }

  private async follow(run: LiveRun, before: LiveRun | undefined, work: Work): Promise<void> {
    await Promise.resolve();
    if (before) {
      if (!(await this.hasTurn(run, before))) return this.close(run);
      run.begin();
      this.changed(run);
      if (run.plan.serial) this.onPhoneChange(run.plan.serial);
    }
    const timer = setInterval(() => {
      run.tick();
      this.feed.send('run', this.viewOf(run));
    }, announceMs);
    try {
      const outcome = await work(run.handle());
      run.end(run.isComplete ? 'done' : 'incomplete', outcome);
      this.log(run, outcome, run.isComplete ? 'info' : 'warning');
    } catch (error) {
      this.fail(run, error);
    } finally {
      clearInterval(timer);
    }
    this.close(run);
  }

  /** Waits for the run before; resolves to whether this one may begin. */
  private async hasTurn(run: LiveRun, before: LiveRun): Promise<boolean> {
    const { signal } = run.controller;
    const cancelled = new Promise<void>((resolve) => signal.addEventListener('abort', () => resolve()));
    await Promise.race([this.endings.get(before.id), cancelled]);
    if (signal.aborted && this.stopping)
      run.end('interrupted', 'Keen Larder was ended before this run began. Start it again.');
    else if (signal.aborted) run.end('cancelled', 'Cancelled before it began.');
    else if (before.state !== 'done' && before.state !== 'incomplete')
      run.end('cancelled', `Not begun: “${before.plan.title}”, the run before it, did not end well.`);
    if (run.endedAt !== undefined) this.log(run, run.outcome!, 'warning');
    return run.endedAt === undefined;
  }

  private fail(run: LiveRun, error: unknown): void {
    const isCancelled = run.controller.signal.aborted;
    const kind = this.kinds[run.plan.kind];
    if (isCancelled && !this.stopping && kind.isGoneWhenCancelled) this.forget(run);
    if (isCancelled) {
      if (this.stopping) {
        const next = this.unfinished.plan(run.id)
          ? 'Resume it.'
          : 'Look at its steps. Start it again if something is missing.';
        run.end('interrupted', `Keen Larder was ended in the middle of this run. ${next}`);
      } else run.end('cancelled', kind.cancelled?.(run.stepAtWork) ?? 'Cancelled.');
    } else {
      run.end(error instanceof Interruption ? 'interrupted' : 'failed', plainWords(error));
    }
    this.log(run, run.outcome!, isCancelled ? 'warning' : 'error');
    if (!isCancelled && !traitsOf(error).isExpected) this.log(run, String((error as Error).stack), 'error');
  }

  /** What it had written down stays where the disk is full: it can be resumed then, which does no harm. */
  private forget(run: LiveRun): void {
    try {
      this.unfinished.drop(run.id);
    } catch (error) {
      this.log(run, `What it had written down could not be removed: ${plainWords(error)}`, 'warning');
    }
  }

  private close(run: LiveRun): void {
    this.live.delete(run.id);
    this.endings.delete(run.id);
    this.ledger.settle();
    this.changed(run);
    if (run.plan.serial) this.onPhoneChange(run.plan.serial);
  }

  /** What waits for a phone that says nothing ends with the connection to it. */
  private abort(run: LiveRun): void {
    run.controller.abort(new Cancelled());
    const { serial } = run.plan;
    if (serial === undefined || run.state === 'queued') return;
    const timer = setTimeout(() => {
      if (this.live.has(run.id)) this.letGo(serial);
    }, heldUpMs);
    void this.endings.get(run.id)?.finally(() => clearTimeout(timer));
  }

  private *ofPhone(serial: string): Generator<LiveRun> {
    for (const run of this.live.values()) if (run.plan.serial === serial) yield run;
  }

  private liveRun(id: string): LiveRun {
    const run = this.live.get(id);
    if (run) return run;
    this.view(id);
    throw new Problem(409, 'This run has ended already.');
  }

  private canResume(id: string): boolean {
    return !this.live.has(id) && this.unfinished.plan(id) !== undefined;
  }

  private viewOf(run: LiveRun): RunView {
    return run.view(this.canResume(run.id), this.returns.hasProof(run.id));
  }

  private leftOver(row: RunRow, at: RunStep | undefined): string {
    if (row.state === 'queued') return 'It had not begun. Start it again.';
    const canResume = this.unfinished.plan(row.id) !== undefined;
    return this.kinds[row.kind as RunKind].interrupted?.({ at, canResume }) ?? 'Start it again.';
  }

  private past(row: RunRow): RunView {
    const { steps, speeds } = JSON.parse(row.detail) as { steps: RunStep[]; speeds: number[] };
    return {
      id: row.id,
      kind: row.kind as RunKind,
      title: row.title,
      serial: row.serial ?? undefined,
      nickname: row.serial ? this.nicknameOf(row.serial) : undefined,
      by: row.operator ?? undefined,
      setId: row.setId ?? undefined,
      state: row.state as RunState,
      startedAt: row.startedAt,
      endedAt: row.endedAt ?? undefined,
      steps,
      bytes: steps.reduce((sum, step) => sum + step.bytes, 0),
      doneBytes: row.doneBytes,
      bytesPerSecond: shownSpeed(row),
      leftMs: undefined,
      waitingFor: undefined,
      canPause: false,
      canResume: this.canResume(row.id),
      hasProof: this.returns.hasProof(row.id),
      outcome: row.outcome ?? undefined,
      speeds,
    };
  }
}
