import { readFileSync } from 'node:fs';

/** Processor time that this thread has had; ms. Other programs on the machine do not change it. */
const threadMs = (): number =>
  Number(readFileSync('/proc/thread-self/schedstat', 'utf8').split(' ')[0]) / 1e6;

/** How often the event loop is asked for a turn. */
const everyMs = 4;

/** Watches how long one thing holds the event loop, in processor time of this thread. */
export class Turns {
  private longest = 0;
  private since = threadMs();
  private readonly timer = setInterval(() => {
    const now = threadMs();
    this.longest = Math.max(this.longest, now - this.since);
    this.since = now;
  }, everyMs);

  /** The longest so far; ms. Begins anew. */
  take(): number {
    const { longest } = this;
    this.longest = 0;
    return longest;
  }

  stop(): void {
    clearInterval(this.timer);
  }
}
