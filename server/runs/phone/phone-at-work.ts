import { setTimeout as pause } from 'node:timers/promises';
import { durationText } from '@keen-larder/core/bytes/units.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Bench } from '../../bench/bench.ts';
import { FlashFailure, LinkFailure, type PhoneLink } from '../../links/phone-link.ts';
import { Interruption } from '../engine/run-engine.ts';
import type { Run } from '../engine/live-run.ts';

/** How long a run bears with a phone. */
export interface Patience {
  /** Without a byte for so long, a transfer has stalled. */
  readonly stallMs: number;
  /** Before the second try; doubled with each further one that came to nothing. */
  readonly backoffMs: number;
  /** Tries in a row that came to nothing. */
  readonly tries: number;
  /** A phone that stays away so long is not waited for any more. */
  readonly awayMs: number;
}

const second = 1000;
export const usualPatience: Patience = {
  stallMs: 20 * second,
  backoffMs: second,
  tries: 6,
  awayMs: 15 * 60 * second,
};

/** The slowest flash that digests are waited for; from memory, with a wide margin. */
const slowestBytesPerSecond = 4 * 1024 * 1024;
const goneMs = 300;
const longestBackoffMs = 30 * second;

/** What one try is given: the link, a signal that ends it, and the watch to tell of every sign of life. */
export interface Attempt {
  readonly link: PhoneLink;
  readonly signal: AbortSignal;
  readonly watch: Watch;
}

/** One thing that a run wants of the phone. */
export interface Insistence<T> {
  /** For messages: `Read userdata`. */
  readonly what: string;
  attempt(attempt: Attempt): Promise<T>;
  /** How far it has come, so that tries that come further are not counted against it. */
  progress?(): number;
  /** The phone was away and is back: it may not be what it was. */
  onReturn?(attempt: Attempt): Promise<void>;
  /** A try broke off: whatever is to be kept is to be put away. */
  onBreak?(): Promise<void>;
}

/** A phone that a run works with, whatever happens to the cable: waits, tries again, goes on. */
export class PhoneAtWork {
  private link: PhoneLink;
  /** The link is known to be gone, which the bench may not have noticed yet. */
  private isLost = false;

  constructor(
    private readonly bench: Bench,
    readonly serial: string,
    private readonly mode: PhoneMode,
    private readonly run: Run,
    private readonly patience: Patience,
    /** What is left of the run when the phone is given up. */
    private readonly leftOver = 'What was read is on the shelf',
  ) {
    this.link = bench.link(serial);
  }

  /**
   * Tries until it works out, for as long as each try comes further or the patience lasts.
   * @throws FlashFailure at once: trying again is for who knows what to try
   * @throws Interruption when the patience is at its end
   */
  async insist<T>(insistence: Insistence<T>): Promise<T> {
    const { run, patience } = this;
    const progress = insistence.progress ?? (() => 0);
    let fruitless = 0;
    for (;;) {
      await run.whileNotPaused();
      const isBack = await this.reach();
      const before = progress();
      const watch = new Watch(patience.stallMs);
      const attempt: Attempt = {
        link: this.link,
        watch,
        signal: AbortSignal.any([run.signal, run.pauseSignal, watch.signal]),
      };
      try {
        if (isBack) await insistence.onReturn?.(attempt);
        return await insistence.attempt(attempt);
      } catch (error) {
        watch.rest();
        await insistence.onBreak?.();
        run.signal.throwIfAborted();
        if (run.pauseSignal.aborted) continue;
        if (!(error instanceof LinkFailure) || error instanceof FlashFailure) throw error;
        fruitless = progress() > before ? 0 : fruitless + 1;
        if (fruitless >= patience.tries) {
          throw new Interruption(
            `${insistence.what}: ${error.message} ${fruitless} tries came to nothing. ${this.leftOver}: resume the run when the phone answers again.`,
            { cause: error },
          );
        }
        // A link that says nothing is given up, so that the phone can be reached anew.
        if (watch.signal.aborted) this.link.close();
        const waitMs = Math.min(patience.backoffMs * 2 ** fruitless, longestBackoffMs);
        this.isLost = await this.isGone();
        if (this.isLost) run.log(`${insistence.what}: ${error.message}`, 'warning');
        else {
          run.log(`${insistence.what}: ${error.message} Trying again in ${durationText(waitMs)}.`, 'warning');
          await pause(waitMs, undefined, { signal: run.signal }).catch(() => undefined);
        }
      } finally {
        watch.rest();
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

  /** Waits until the phone is there in its mode; resolves to whether it had been away. */
  private async reach(): Promise<boolean> {
    const { bench, serial, mode, run, patience } = this;
    if (!this.isLost && bench.linkIn(serial, mode) === this.link) return false;
    const { nickname } = bench.view(serial);
    this.link = await run.waiting(`Waiting for ${nickname} in ${mode} mode: check its cable.`, () =>
      this.untilBack(Date.now() + patience.awayMs),
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
      if (Date.now() > deadline) {
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

/** Ends a try that shows no sign of life for too long. */
export class Watch {
  private readonly controller = new AbortController();
  private timer: NodeJS.Timeout | undefined;

  constructor(private readonly stallMs: number) {}

  get signal(): AbortSignal {
    return this.controller.signal;
  }

  /** From now on a sign of life is due. @param bytes what the phone must read before it can say anything */
  arm(bytes = 0): void {
    this.rest();
    const limitMs = this.stallMs + (bytes / slowestBytesPerSecond) * 1000;
    this.timer = setTimeout(
      () =>
        this.controller.abort(new LinkFailure(`The phone has sent nothing for ${durationText(limitMs)}.`)),
      limitMs,
    );
  }

  rest(): void {
    clearTimeout(this.timer);
  }

  /** Hands a stream to the phone; while the phone takes a piece, and then all of it, the watch is armed. */
  async *onto(stream: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
    let bytes = 0;
    for await (const part of stream) {
      bytes += part.length;
      this.arm();
      yield part;
      this.rest();
    }
    this.arm(bytes);
  }

  /** Hands a stream on; while it is waited for, the watch is armed. */
  async *over(stream: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
    const iterator = stream[Symbol.asyncIterator]();
    try {
      for (;;) {
        this.arm();
        const { done, value } = await iterator.next();
        this.rest();
        if (done) return;
        yield value;
      }
    } finally {
      this.rest();
      await iterator.return?.();
    }
  }
}
