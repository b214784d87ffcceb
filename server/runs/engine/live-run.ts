import { stopwatch } from '../../async/stopwatch.ts';
import { randomUUID } from 'node:crypto';
import type { RunKind, RunLogLine, RunState, RunStep, RunView } from '@keen-larder/contract/runs.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { actingName } from '../../people/acting.ts';
import type { RunRow } from '../../database/runs.ts';
import { PartFailure } from '../../failures.ts';
import { Speedometer } from './speedometer.ts';

export interface RunPlan {
  readonly kind: RunKind;
  readonly title: string;
  readonly serial?: string;
  readonly nickname?: string;
  readonly mode?: PhoneMode;
  /** What reaches the phone, without its address: `adb`. */
  readonly link?: string;
  readonly setId?: string;
  /** Other sets, and copies, that it reads: they are not removed meanwhile. */
  readonly alsoReads?: readonly string[];
  readonly canPause?: boolean;
  readonly steps: readonly {
    readonly text: string;
    readonly partition?: string;
    readonly app?: string;
    readonly bytes: number;
  }[];
}

/**
 * @param passed told the bytes as they pass; fewer than none when they must pass again
 * @param resize told how many there will be, where the plan could not know
 */
export type StepWork = (
  passed: (bytes: number) => void,
  resize: (bytes: number) => void,
) => Promise<string | undefined>;

/** What the work of a run is given. */
export interface Run {
  readonly id: string;
  /** Who started it; undefined where nobody has signed in. */
  readonly operator: string | undefined;
  /** Aborted when the run is cancelled. */
  readonly signal: AbortSignal;
  /** Aborted when the run is to pause; another one after it went on. */
  readonly pauseSignal: AbortSignal;
  log(text: string, level?: RunLogLine['level']): void;
  /** Does one step of the plan; `work` resolves to the step's result. */
  step(index: number, work: StepWork): Promise<void>;
  /**
   * Does a step that may fail by itself: the run goes on and is not complete. Resolves to whether it was done.
   * @throws unknown what is not that step's alone
   */
  part(index: number, work: StepWork): Promise<boolean>;
  /** Resolves at once, or when a paused run is told to go on. */
  whileNotPaused(): Promise<void>;
  /** Does something that is no work of the run's own, such as waiting for the phone; says what for. */
  waiting<T>(what: string, work: () => Promise<T>): Promise<T>;
  /** Does work in which no bytes pass the cable: its time says nothing of how fast they do. */
  withoutBytes<T>(work: () => Promise<T>): Promise<T>;
  /** The set that came of the run. @param isComplete every image of it came out right */
  madeSet(setId: string, isComplete?: boolean): void;
}

/** What happens to a run, for whoever keeps and tells it. */
export interface RunListener {
  log(run: LiveRun, text: string, level: RunLogLine['level']): void;
  /** Its state or a step changed for good. @param when it is written down: before anything else, or with what follows at once */
  changed(run: LiveRun, when?: 'now' | 'soon'): void;
}

type Step = { -readonly [K in keyof RunStep]: RunStep[K] };

/** A run that has not ended: its steps, its speed, and the ways to hold it up. */
export class LiveRun {
  readonly id = randomUUID();
  readonly controller = new AbortController();
  /** In whose name it was started. */
  readonly operator = actingName();
  readonly steps: Step[];
  state: RunState = 'queued';
  startedAt: number;
  endedAt: number | undefined;
  outcome: string | undefined;
  setId: string | undefined;
  isComplete = true;
  seq = 0;
  private elapsedMs = stopwatch();
  private speed = new Speedometer(performance.now());
  private waitingFor: string | undefined;
  private idleMs = 0;
  private carriedBytes = 0;
  /** How much of the work under way is not timed. */
  private apart = 0;
  private pausing = new AbortController();
  private goOn: (() => void) | undefined;

  constructor(
    readonly plan: RunPlan,
    private readonly now: () => number,
    private readonly listener: RunListener,
  ) {
    this.startedAt = now();
    this.setId = plan.setId;
    this.steps = plan.steps.map(({ text, partition, app, bytes }) => ({
      text,
      partition,
      ...(app && { app }),
      bytes,
      doneBytes: 0,
      state: 'waiting',
      result: undefined,
    }));
  }

  begin(): void {
    this.state = 'running';
    this.startedAt = this.now();
    this.elapsedMs = stopwatch();
    this.speed = new Speedometer(performance.now());
  }

  pause(): void {
    this.pausing.abort();
    this.listener.log(this, 'Told to pause.', 'info');
    this.listener.changed(this);
  }

  get isPausing(): boolean {
    return this.pausing.signal.aborted;
  }

  continue(): void {
    this.pausing = new AbortController();
    this.goOn?.();
    this.listener.log(this, 'Told to go on.', 'info');
    this.listener.changed(this);
  }

  /** The step under way, or the one that failed. */
  get stepAtWork(): RunStep | undefined {
    return this.steps.find(({ state }) => state === 'failed' || state === 'running');
  }

  tick(): void {
    this.speed.tick(performance.now());
  }

  end(state: RunState, outcome: string): void {
    this.state = state;
    this.outcome = outcome;
    // The computer's clock may be set meanwhile; how long the run took stays true.
    this.endedAt = this.startedAt + this.elapsedMs();
    for (const step of this.steps) if (step.state === 'running') step.state = 'failed';
  }

  handle(): Run {
    // Read at the time they are asked for, hence the name.
    // eslint-disable-next-line @typescript-eslint/no-this-alias
    const run = this;
    return {
      id: this.id,
      operator: this.operator,
      signal: this.controller.signal,
      get pauseSignal() {
        return run.pausing.signal;
      },
      log: (text, level = 'info') => this.listener.log(this, text, level),
      madeSet: (setId, isComplete = true) => {
        this.setId = setId;
        this.isComplete = isComplete;
      },
      step: (index, work) => this.step(this.steps[index]!, work),
      part: (index, work) => this.part(this.steps[index]!, work),
      whileNotPaused: async () => {
        if (!this.isPausing) return this.controller.signal.throwIfAborted();
        await this.idle('paused', undefined, () => this.untilToldToGoOn());
      },
      waiting: (what, work) => this.idle('waiting', what, work),
      withoutBytes: (work) => this.timedApart(work),
    };
  }

  view(canResume: boolean, hasProof: boolean): RunView {
    const bytes = this.steps.reduce((sum, step) => sum + step.bytes, 0);
    const isHeldUp = this.state === 'paused' || this.state === 'waiting';
    const bytesPerSecond =
      this.endedAt !== undefined ? shownSpeed(this.row()) : isHeldUp ? 0 : this.speed.bytesPerSecond;
    return {
      id: this.id,
      kind: this.plan.kind,
      title: this.plan.title,
      serial: this.plan.serial,
      nickname: this.plan.nickname,
      by: this.operator,
      setId: this.setId,
      state: this.state,
      startedAt: this.startedAt,
      endedAt: this.endedAt,
      steps: this.steps,
      bytes,
      doneBytes: this.doneBytes,
      bytesPerSecond,
      leftMs: bytesPerSecond > 0 ? ((bytes - this.doneBytes) / this.pace) * 1000 : undefined,
      waitingFor: this.waitingFor,
      canPause: this.plan.canPause ?? false,
      canResume,
      hasProof,
      outcome: this.outcome,
      speeds: this.speed.speeds,
    };
  }

  row(): RunRow {
    const { plan } = this;
    return {
      id: this.id,
      kind: plan.kind,
      title: plan.title,
      serial: plan.serial ?? null,
      operator: this.operator ?? null,
      mode: plan.mode ?? null,
      link: plan.link ?? null,
      setId: this.setId ?? null,
      state: this.state,
      startedAt: this.startedAt,
      endedAt: this.endedAt ?? null,
      idleMs: Math.round(this.idleMs),
      doneBytes: this.doneBytes,
      carriedBytes: this.carriedBytes,
      outcome: this.outcome ?? null,
      detail: JSON.stringify({ steps: this.steps, speeds: this.speed.speeds }),
    };
  }

  /** Bytes per second to reckon with: as now, and as so far, for there are spells in which hardly any pass. */
  private get pace(): number {
    const { startedAt, idleMs, carriedBytes, doneBytes } = this;
    // The first quarter of a second counts whole, as it does for the speed now.
    const endedAt = startedAt + Math.max(this.elapsedMs(), idleMs + 250);
    const soFar = averageSpeed({ startedAt, endedAt, idleMs, carriedBytes, doneBytes });
    return (this.speed.bytesPerSecond + soFar) / 2;
  }

  private get doneBytes(): number {
    return this.steps.reduce((sum, step) => sum + step.doneBytes, 0);
  }

  private async step(step: Step, work: StepWork): Promise<void> {
    step.state = 'running';
    this.listener.log(this, step.text, 'info');
    this.listener.changed(this);
    try {
      const passed = (bytes: number) => {
        step.doneBytes += bytes;
        if (this.apart === 0) this.carriedBytes += bytes;
        if (bytes > 0) this.speed.pass(bytes, performance.now());
      };
      step.result = await work(passed, (bytes) => (step.bytes = bytes));
      step.state = 'done';
      // Holes of an image pass without bytes of their own.
      step.doneBytes = step.bytes;
      if (step.result) this.listener.log(this, `${step.text}: ${step.result}`, 'info');
    } catch (error) {
      step.state = 'failed';
      if (error instanceof PartFailure) {
        step.result = error.message;
        this.listener.log(this, `${step.text}: ${error.message}`, 'error');
      }
      throw error;
    } finally {
      // With the beginning of the next one, which is written down before anything is done.
      this.listener.changed(this, 'soon');
    }
  }

  private async part(step: Step, work: StepWork): Promise<boolean> {
    try {
      await this.step(step, work);
      return true;
    } catch (error) {
      if (!(error instanceof PartFailure)) throw error;
      this.isComplete = false;
      return false;
    }
  }

  private async idle<T>(
    state: 'paused' | 'waiting',
    what: string | undefined,
    work: () => Promise<T>,
  ): Promise<T> {
    this.state = state;
    this.waitingFor = what;
    this.listener.log(this, state === 'paused' ? 'Paused.' : what!, 'info');
    this.listener.changed(this);
    try {
      return await this.timedApart(work);
    } finally {
      this.state = 'running';
      this.waitingFor = undefined;
      this.listener.changed(this);
    }
  }

  private async timedApart<T>(work: () => Promise<T>): Promise<T> {
    const since = performance.now();
    this.apart++;
    try {
      return await work();
    } finally {
      this.apart--;
      this.idleMs += performance.now() - since;
    }
  }

  private async untilToldToGoOn(): Promise<void> {
    const { signal } = this.controller;
    while (this.isPausing) {
      signal.throwIfAborted();
      await new Promise<void>((resolve) => {
        this.goOn = resolve;
        signal.addEventListener('abort', () => resolve(), { once: true });
      });
    }
  }
}

/** What is told of a run that has ended: its size by its time, which stand beside it. */
export function shownSpeed({ startedAt, endedAt, doneBytes }: RunRow): number {
  const elapsedMs = endedAt === null ? 0 : endedAt - startedAt;
  return elapsedMs > 0 ? (doneBytes / elapsedMs) * 1000 : 0;
}

/** Bytes over the cable per second until the end of a run, without the time in which none were to pass. */
export function averageSpeed({
  startedAt,
  endedAt,
  idleMs,
  carriedBytes,
  doneBytes,
}: Pick<RunRow, 'startedAt' | 'endedAt' | 'idleMs' | 'carriedBytes' | 'doneBytes'>): number {
  const elapsedMs = endedAt === null ? 0 : endedAt - startedAt - idleMs;
  return elapsedMs > 0 ? ((carriedBytes ?? doneBytes) / elapsedMs) * 1000 : 0;
}
