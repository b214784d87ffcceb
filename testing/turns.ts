import { readFileSync } from 'node:fs';
import { PerformanceObserver, type PerformanceEntry } from 'node:perf_hooks';
import { isLong } from './effort.ts';

/** Processor time that this thread has had; ms. Other programs on the machine do not change it. */
const threadMs = (): number =>
  Number(readFileSync('/proc/thread-self/schedstat', 'utf8').split(' ')[0]) / 1e6;

/**
 * Of processor time; nothing holds the program up for longer. Held to in the campaigns, which have the machine for themselves. On
 * every run of the tests a slow machine, or one that lends its processor to others, has ten times as much: what is looked for
 * took half a minute.
 */
export const mostHeldMs = isLong ? 100 : 1000;

/** How often the event loop is asked for a turn. */
const everyMs = 4;
/** Shorter ones are not remembered. */
const leastMs = 20;

interface Turn {
  readonly from: number;
  readonly to: number;
  /** Of the processor, by this thread. */
  readonly ms: number;
}

/**
 * Watches how long one thing holds the event loop, in processor time of this thread. What collects garbage is left out: tests
 * have it done in one thread, the program in several.
 */
export class Turns {
  private long: Turn[] = [];
  private collected: PerformanceEntry[] = [];
  private from = performance.now();
  private since = threadMs();
  private readonly collections = new PerformanceObserver((list) => this.collected.push(...list.getEntries()));
  private readonly timer = setInterval(() => {
    const [to, now] = [performance.now(), threadMs()];
    const turn = { from: this.from, to, ms: now - this.since };
    [this.from, this.since] = [to, now];
    if (turn.ms >= leastMs) this.long.push(turn);
  }, everyMs);

  constructor() {
    this.collections.observe({ entryTypes: ['gc'] });
  }

  /** The longest so far; ms, 0 where none was long. Begins anew. */
  take(): number {
    this.collected.push(...this.collections.takeRecords());
    const longest = Math.max(0, ...this.long.map((turn) => turn.ms - this.collecting(turn)));
    [this.long, this.collected] = [[], []];
    return longest;
  }

  stop(): void {
    clearInterval(this.timer);
    this.collections.disconnect();
  }

  private collecting({ from, to }: Turn): number {
    return this.collected
      .filter(({ startTime, duration }) => startTime < to && startTime + duration > from)
      .reduce((sum, { duration }) => sum + duration, 0);
  }
}
