import { setTimeout as pause } from 'node:timers/promises';
import { durationText } from '@keen-larder/core/bytes/units.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Bench } from '../../bench/bench.ts';
import { Interruption, PhoneSilent, traitsOf } from '../../failures.ts';
import type { PhoneLink } from '../../links/phone-link.ts';
import type { Run } from '../engine/live-run.ts';

/** How long a run bears with a phone. */
export interface RetryPolicy {
  /** A connected phone that gives no sign of life for so long has stalled. */
  readonly stallMs: number;
  /** Before the second try; doubled with each further one that came to nothing. */
  readonly backoffMs: number;
  /** Tries in a row that came to nothing. */
  readonly tries: number;
  /** A phone that stays away so long is not waited for any more. */
  readonly awayMs: number;
}

const second = 1000;
export const usualRetryPolicy: RetryPolicy = {
  stallMs: 20 * second,
  backoffMs: second,
  tries: 6,
  awayMs: 15 * 60 * second,
};

const goneMs = 300;
const longestBackoffMs = 30 * second;
/** What is told to stop has so long to end by itself; after that nobody waits for it. */
const endsWithinMs = 3 * second;

/** Told the bytes as they pass; fewer than none when they must pass again. */
export type Passed = (bytes: number) => void;

/** What one try is given. */
export interface Attempt {
  /** Each of its commands ends when the phone gives no sign of life. */
  readonly link: PhoneLink;
  /** Ends the try. */
  readonly signal: AbortSignal;
  /** What a try was told passes is taken back before the next one. */
  readonly passed: Passed;
}

/** One thing that a run wants of the phone. */
export interface PhoneTask<T> {
  /** For messages: `Read userdata`. */
  readonly what: string;
  attempt(attempt: Attempt): Promise<T>;
  /** Told the bytes that a try passes on. */
  readonly passed?: Passed;
  /** How far it has come, so that tries that come further are not counted against it. */
  progress?(): number;
  /** The phone was away and is back: it may not be what it was. */
  onReturn?(attempt: Attempt): Promise<void>;
  /** A try broke off: whatever is to be kept is to be put away. */
  onBreak?(): Promise<void>;
}

/** What of the bench is asked for a phone. */
type Whereabouts = Pick<Bench, 'link' | 'linkIn' | 'changed'> & {
  view(serial: string): { readonly nickname: string };
  restart(serial: string, into: PhoneMode): Promise<void>;
};

/** What of its run is asked and told. */
type RunAtWork = Pick<Run, 'signal' | 'pauseSignal' | 'whileNotPaused' | 'waiting' | 'log'>;

/** A phone that a run works with, whatever happens to the cable: waits, tries again, goes on. */
export class PhoneAtWork {
  private link: PhoneLink;
  /** The link is known to be gone, which the bench may not have noticed yet. */
  private isLost = false;

  /** @param leftOver what is left of the run when the phone is given up */
  constructor(
    private readonly bench: Whereabouts,
    readonly serial: string,
    private readonly mode: PhoneMode,
    private readonly run: RunAtWork,
    private readonly policy: RetryPolicy,
    private readonly leftOver: string,
    /** Whose apps are worked with. */
    private readonly user = 0,
  ) {
    this.link = bench.link(serial);
  }

  /**
   * Tries until it works out, for as long as each try comes further or the policy allows.
   * @throws Interruption when the tries are used up
   * @throws unknown at once what no further try can change, such as a refusal
   */
  async retry<T>(task: PhoneTask<T>): Promise<T> {
    const { run, policy } = this;
    const progress = task.progress?.bind(task) ?? (() => 0);
    let fruitless = 0;
    for (;;) {
      await run.whileNotPaused();
      const isBack = await this.reach();
      const before = progress();
      const signal = AbortSignal.any([run.signal, run.pauseSignal]);
      let done = 0;
      const attempt: Attempt = {
        link: this.link.asUser(this.user),
        signal,
        passed: (bytes) => {
          done += bytes;
          task.passed?.(bytes);
        },
      };
      try {
        return await endingWith(signal, async () => {
          if (isBack) await task.onReturn?.(attempt);
          return task.attempt(attempt);
        });
      } catch (error) {
        await task.onBreak?.();
        run.signal.throwIfAborted();
        const mayGoOn = run.pauseSignal.aborted || traitsOf(error).isWaitedFor;
        if (!mayGoOn) throw error;
        task.passed?.(-done);
        if (run.pauseSignal.aborted) continue;
        fruitless = progress() > before ? 0 : fruitless + 1;
        const why = `${task.what}: ${(error as Error).message}`;
        if (fruitless >= policy.tries) {
          throw new Interruption(
            `${why} ${fruitless} tries came to nothing. ${this.leftOver}: resume the run when the phone answers again.`,
            { cause: error },
          );
        }
        // A link that says nothing is given up, so that the phone can be reached anew.
        if (error instanceof PhoneSilent) this.link.close();
        await this.rest(why, Math.min(policy.backoffMs * 2 ** fruitless, longestBackoffMs));
      }
    }
  }

  /** Sends the phone into another mode and waits until it is there. */
  static async restart(
    bench: Bench,
    serial: string,
    into: PhoneMode,
    run: Run,
    limitMs: number,
  ): Promise<void> {
    if (bench.facts(serial).mode === into) return;
    await bench.restart(serial, into);
    await run.waiting(`Waiting for ${bench.view(serial).nickname} to come up in ${into} mode.`, () =>
      bench.waitFor(serial, into, limitMs, run.signal),
    );
  }

  /** Between two tries; one whose link is gone is waited for anyway. */
  private async rest(why: string, waitMs: number): Promise<void> {
    const { run } = this;
    this.isLost = await this.isGone();
    // What is tried again by itself, nobody has to start again.
    const words = why.replace(/, then start again\.$/, '.');
    run.log(this.isLost ? words : `${words} Trying again in ${durationText(waitMs)}.`, 'warning');
    if (!this.isLost) await pause(waitMs, undefined, { signal: run.signal }).catch(() => undefined);
  }

  /** Waits until the phone is there in its mode; resolves to whether it had been away. */
  private async reach(): Promise<boolean> {
    const { bench, serial, mode, run, policy } = this;
    if (!this.isLost && bench.linkIn(serial, mode) === this.link) return false;
    const { nickname } = bench.view(serial);
    this.link = await run.waiting(`Waiting for ${nickname} in ${mode} mode: check its cable.`, () =>
      this.untilBack(performance.now() + policy.awayMs),
    );
    this.isLost = false;
    run.log(`${nickname} is back in ${mode} mode.`);
    return true;
  }

  private async untilBack(deadline: number): Promise<PhoneLink> {
    const { bench, serial, mode, run } = this;
    let sent = false;
    for (;;) {
      run.signal.throwIfAborted();
      const link = bench.linkIn(serial, mode);
      if (link && !(this.isLost && link === this.link)) return link;
      const other = bench.linkIn(serial);
      // It came up in another mode, as after a restart of its own: it is sent where the run needs it, once.
      if (other && other !== this.link && other.mode !== mode && !sent && mode !== 'loader') {
        sent = true;
        run.log(`The phone came up in ${other.mode} mode: it is sent into ${mode} mode.`, 'warning');
        await bench.restart(serial, mode).catch(() => undefined);
      }
      if (performance.now() > deadline) {
        throw new Interruption(
          `${bench.view(serial).nickname} did not come back. ${this.leftOver}: connect it and resume the run.`,
        );
      }
      await bench.changed(run.signal);
    }
  }

  /** A broken link ends a moment after what went over it does. */
  private isGone(): Promise<boolean> {
    return Promise.race([this.link.gone.then(() => true), pause(goneMs, false, { ref: false })]);
  }
}

/** Does work that is to end when a signal says so, whether or not everything in it listens to the signal. */
async function endingWith<T>(signal: AbortSignal, work: () => Promise<T>): Promise<T> {
  const ended = new AbortController();
  const overdue = new Promise<never>((_, reject) => {
    const stop = () => {
      void pause(endsWithinMs, undefined, { signal: ended.signal, ref: false }).then(
        () => reject(signal.reason as Error),
        () => undefined,
      );
    };
    if (signal.aborted) stop();
    else signal.addEventListener('abort', stop, { once: true, signal: ended.signal });
  });
  try {
    return await Promise.race([work(), overdue]);
  } finally {
    ended.abort();
  }
}
