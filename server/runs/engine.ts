import { randomUUID } from 'node:crypto';
import type { RunKind, RunLogLine, RunState, RunStep, RunView } from '@keen-larder/contract/runs.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { RunRow, RunStatements } from '../database/runs.ts';
import type { Feed } from '../feed.ts';
import { plainWords } from '../plain-words.ts';
import { Problem } from '../problem.ts';
import { Speedometer } from './speedometer.ts';

export interface RunPlan {
  readonly kind: RunKind;
  readonly title: string;
  readonly serial?: string;
  readonly nickname?: string;
  readonly mode?: PhoneMode;
  readonly setId?: string;
  readonly steps: readonly { readonly text: string; readonly partition?: string; readonly bytes: number }[];
}

/** What the work of a run is given. */
export interface Run {
  readonly id: string;
  readonly signal: AbortSignal;
  log(text: string, level?: RunLogLine['level']): void;
  /** Does one step of the plan; `work` tells its bytes as they pass and resolves to the step's result. */
  step(index: number, work: (passed: (bytes: number) => void) => Promise<string | undefined>): Promise<void>;
  /** The set that came of the run. */
  madeSet(setId: string): void;
}

interface Live {
  readonly plan: RunPlan;
  readonly id: string;
  readonly startedAt: number;
  readonly controller: AbortController;
  readonly speed: Speedometer;
  readonly steps: { -readonly [K in keyof RunStep]: RunStep[K] }[];
  state: RunState;
  endedAt: number | undefined;
  outcome: string | undefined;
  setId: string | undefined;
  seq: number;
  ended: Promise<void>;
}

const announceMs = 250;

/** Starts runs, one a phone at a time, follows their progress, and keeps their story. */
export class RunEngine {
  private readonly live = new Map<string, Live>();

  constructor(
    private readonly statements: RunStatements,
    private readonly feed: Feed,
    private readonly now: () => number,
    private readonly nicknameOf: (serial: string) => string,
    private readonly onPhoneChange: (serial: string) => void,
  ) {}

  /** Marks runs that an earlier start of the program did not end; resolves to what to tell. */
  closeInterrupted(): RunView[] {
    return this.statements.unfinished().map((row) => {
      const detail = JSON.parse(row.detail) as { steps: RunStep[] };
      const at = detail.steps.find(({ state }) => state === 'running');
      const where = at ? ` at “${at.text}”` : '';
      const consequence: Record<string, string> = {
        imaging: 'Nothing of it is in the larder. Start it again.',
        restoring: at?.partition
          ? `${at.partition} may be half written: put it back again before starting the phone.`
          : 'Look at its steps, then put back what is missing.',
      };
      const outcome = `Keen Larder ended in the middle of this run${where}. ${consequence[row.kind] ?? 'Start it again.'}`;
      const steps = detail.steps.map((step) =>
        step.state === 'running' ? { ...step, state: 'failed' as const } : step,
      );
      this.statements.save({
        ...row,
        state: 'interrupted',
        endedAt: this.now(),
        outcome,
        detail: JSON.stringify({ ...detail, steps }),
      });
      this.statements.addLine(row.id, {
        seq: this.statements.lastSeq(row.id) + 1,
        at: this.now(),
        level: 'error',
        text: outcome,
      });
      return this.view(row.id);
    });
  }

  /** Starts a run. @throws Problem 409 when the phone has one under way */
  start(plan: RunPlan, work: (run: Run) => Promise<string>): RunView {
    if (plan.serial && this.runOf(plan.serial)) {
      throw new Problem(
        409,
        `${plan.nickname ?? plan.serial} has a run under way. Wait for its end or cancel it.`,
      );
    }
    const live: Live = {
      plan,
      id: randomUUID(),
      startedAt: this.now(),
      controller: new AbortController(),
      speed: new Speedometer(Date.now()),
      steps: plan.steps.map(({ text, partition, bytes }) => ({
        text,
        partition,
        bytes,
        doneBytes: 0,
        state: 'waiting',
        result: undefined,
      })),
      state: 'running',
      endedAt: undefined,
      outcome: undefined,
      setId: plan.setId,
      seq: 0,
      ended: Promise.resolve(),
    };
    this.live.set(live.id, live);
    this.save(live);
    this.log(live, plan.title, 'info');
    live.ended = this.carryOut(live, work);
    if (plan.serial) this.onPhoneChange(plan.serial);
    this.announce(live);
    return this.viewOf(live);
  }

  /** @throws Problem when there is no such run or it has ended */
  cancel(id: string): RunView {
    const live = this.live.get(id);
    if (!live) {
      this.view(id);
      throw new Problem(409, 'This run has ended already.');
    }
    live.controller.abort(new Cancelled());
    return this.viewOf(live);
  }

  runOf(serial: string): string | undefined {
    return [...this.live.values()].find(({ plan }) => plan.serial === serial)?.id;
  }

  /** Whether a run that is under way reads this set. */
  usesSet(setId: string): boolean {
    return [...this.live.values()].some(({ plan }) => plan.setId === setId);
  }

  list(): RunView[] {
    return this.statements
      .recent()
      .map((row) => (this.live.has(row.id) ? this.viewOf(this.live.get(row.id)!) : this.past(row)));
  }

  /** @throws Problem 404 */
  view(id: string): RunView {
    const live = this.live.get(id);
    if (live) return this.viewOf(live);
    const row = this.statements.one(id);
    if (!row) throw new Problem(404, 'There is no such run.');
    return this.past(row);
  }

  logOf(id: string): RunLogLine[] {
    this.view(id);
    return this.statements.log(id);
  }

  /** Resolves when a run has ended. */
  async ended(id: string): Promise<RunView> {
    await this.live.get(id)?.ended;
    return this.view(id);
  }

  async stop(): Promise<void> {
    const runs = [...this.live.values()];
    for (const { controller } of runs) controller.abort(new Cancelled());
    await Promise.all(runs.map(({ ended }) => ended));
  }

  private async carryOut(live: Live, work: (run: Run) => Promise<string>): Promise<void> {
    const timer = setInterval(() => {
      live.speed.tick(Date.now());
      this.announce(live);
    }, announceMs);
    try {
      await Promise.resolve();
      live.outcome = await work(this.handle(live));
      live.state = 'done';
      this.log(live, live.outcome, 'info');
    } catch (error) {
      const cancelled = live.controller.signal.aborted;
      live.state = cancelled ? 'cancelled' : 'failed';
      live.outcome = cancelled ? cancelText(live) : plainWords(error);
      this.log(live, live.outcome, cancelled ? 'warning' : 'error');
      if (!cancelled && !isExpected(error)) this.log(live, String((error as Error).stack), 'error');
    } finally {
      clearInterval(timer);
    }
    live.endedAt = this.now();
    for (const step of live.steps) if (step.state === 'running') step.state = 'failed';
    this.save(live);
    this.live.delete(live.id);
    this.feed.send('run', this.view(live.id));
    if (live.plan.serial) this.onPhoneChange(live.plan.serial);
  }

  private handle(live: Live): Run {
    return {
      id: live.id,
      signal: live.controller.signal,
      log: (text, level = 'info') => this.log(live, text, level),
      madeSet: (setId) => (live.setId = setId),
      step: async (index, work) => {
        const step = live.steps[index]!;
        step.state = 'running';
        this.log(live, step.text, 'info');
        this.save(live);
        try {
          step.result = await work((bytes) => {
            step.doneBytes += bytes;
            live.speed.pass(bytes, Date.now());
          });
          step.state = 'done';
          if (step.result) this.log(live, `${step.text}: ${step.result}`, 'info');
        } catch (error) {
          step.state = 'failed';
          throw error;
        } finally {
          this.save(live);
        }
      },
    };
  }

  private log(live: Live, text: string, level: RunLogLine['level']): void {
    const line = { seq: ++live.seq, at: this.now(), level, text };
    this.statements.addLine(live.id, line);
    this.feed.send('run-log', { runId: live.id, line });
  }

  private announce(live: Live): void {
    this.feed.send('run', this.viewOf(live));
  }

  private viewOf(live: Live): RunView {
    const bytes = live.steps.reduce((sum, step) => sum + step.bytes, 0);
    const doneBytes = live.steps.reduce((sum, step) => sum + step.doneBytes, 0);
    const bytesPerSecond = live.speed.bytesPerSecond;
    return {
      id: live.id,
      kind: live.plan.kind,
      title: live.plan.title,
      serial: live.plan.serial,
      nickname: live.plan.nickname,
      setId: live.setId,
      state: live.state,
      startedAt: live.startedAt,
      endedAt: live.endedAt,
      steps: live.steps,
      bytes,
      doneBytes,
      bytesPerSecond,
      leftMs: bytesPerSecond > 0 ? ((bytes - doneBytes) / bytesPerSecond) * 1000 : undefined,
      outcome: live.outcome,
      speeds: live.speed.speeds,
    };
  }

  private past(row: RunRow): RunView {
    const { steps, speeds } = JSON.parse(row.detail) as { steps: RunStep[]; speeds: number[] };
    const elapsedMs = row.endedAt === null ? 0 : row.endedAt - row.startedAt;
    return {
      id: row.id,
      kind: row.kind as RunKind,
      title: row.title,
      serial: row.serial ?? undefined,
      nickname: row.serial ? this.nicknameOf(row.serial) : undefined,
      setId: row.setId ?? undefined,
      state: row.state as RunState,
      startedAt: row.startedAt,
      endedAt: row.endedAt ?? undefined,
      steps,
      bytes: steps.reduce((sum, step) => sum + step.bytes, 0),
      doneBytes: row.doneBytes,
      bytesPerSecond: elapsedMs > 0 ? (row.doneBytes / elapsedMs) * 1000 : 0,
      leftMs: undefined,
      outcome: row.outcome ?? undefined,
      speeds,
    };
  }

  private save(live: Live): void {
    const { plan } = live;
    this.statements.save({
      id: live.id,
      kind: plan.kind,
      title: plan.title,
      serial: plan.serial ?? null,
      mode: plan.mode ?? null,
      setId: live.setId ?? null,
      state: live.state,
      startedAt: live.startedAt,
      endedAt: live.endedAt ?? null,
      doneBytes: live.steps.reduce((sum, step) => sum + step.doneBytes, 0),
      outcome: live.outcome ?? null,
      detail: JSON.stringify({ steps: live.steps, speeds: live.speed.speeds }),
    });
  }
}

class Cancelled extends Error {
  override readonly name = 'Cancelled';
}

function cancelText({ plan, steps }: Live): string {
  const at = steps.find(({ state }) => state === 'failed' || state === 'running');
  if (plan.kind === 'imaging') return 'Cancelled. Nothing of it is in the larder.';
  if (plan.kind === 'restoring' && at?.text.startsWith('Write')) {
    return `Cancelled while ${at.partition} was written: it is half written. Put it back before starting the phone.`;
  }
  return 'Cancelled.';
}

/** Errors whose message is all that there is to say. */
const isExpected = (error: unknown) =>
  error instanceof Error && ['LinkFailure', 'DamagedImage', 'Problem', 'RunFailure'].includes(error.name);

/** A run that cannot reach its end; the message says why and what to do. */
export class RunFailure extends Error {
  override readonly name = 'RunFailure';
}
